// The Page says what is on the page of the score: its rows, how high each is, and where. It is geometry only, in widget
// coordinates.
#pragma once

#include <QRect>
#include <QSize>

#include <optional>
#include <set>
#include <string>
#include <vector>

namespace ivrin::app {

/// A row as it is laid out now.
struct RowBox {
  std::string id;
  int y = 0, height = 0;
  bool open = false, thin = false;
  int staffTop = 0, staffHeight = 0; // of the wave
};

/// What a page is laid out from.
struct PageSpec {
  QSize size;
  std::vector<std::string> rows; // in the order of the score
  std::set<std::string> folded;
  struct Open {
    std::string row;
    int titleHeight = 0, panelHeight = 0;
  };
  std::optional<Open> open; // the row that is open; beside it all others are thin
  int scrollY = 0;          // wanted; what there is no room for is scrolled to
};

struct Page {
  QSize size;
  std::vector<RowBox> rows;
  int contentHeight = 0, scrollY = 0;

  static int marginWidth();
  static int rulerHeight();
  int width() const { return size.width(); }
  int height() const { return size.height(); }
  /// Where the staves stop: the last row's foot, or the page's.
  int bottom() const;
  QRect staves() const;
  /// Of a row; null where it is not there.
  const RowBox* row(const std::string& id) const;
  QRect staffOf(const std::string& row) const;
  /// Around those of all of them.
  QRect staffOf(const std::vector<std::string>& rows) const;
  /// The drawing of the open row; null while none is open.
  QRect openArea() const;
  /// The row under a height; none over the ruler.
  const RowBox* rowAt(int y) const;
  /// All rows from one to the other, `a` left out.
  std::vector<std::string> between(const std::string& a, const std::string& b) const;
  /// How far the page must be scrolled for a row to be seen.
  int scrollTo(const std::string& row) const;
};

/// Where a row that is dragged goes: before another one, at a height of the page, or onto a bus.
struct RowDrop {
  std::string before;
  bool ontoBus = false;
  int y = 0, height = 0; // of the line, or of the bus
};
/// Over the middle of one of `buses` onto it, else between rows. Nothing over the ruler.
std::optional<RowDrop> rowDropAt(const Page& page, int y, const std::set<std::string>& buses);

Page layOutPage(const PageSpec& spec);

} // namespace ivrin::app
