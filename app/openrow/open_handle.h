// An OpenHandle is one thing that can be taken hold of in an open ornament, as a value: its place, its words, and what
// becomes of the ornament under the mouse or by the arrow keys. A drawing lists its handles; the score hits, drags,
// walks and paints them without knowing any of them.
#pragma once

#include "app/axis/time_axis.h"
#include "song/song.h"

#include <QPainter>
#include <QPointF>
#include <QRectF>
#include <QString>

#include <functional>
#include <optional>
#include <vector>

namespace ivrin::app {

struct OpenCanvas;

/// A hand on the drawing: where it was pressed, all that it went over, where it is now.
struct Pull {
  std::vector<QPointF> path; // never empty
  bool free = false;         // off the grid
  bool alone = false;        // of what is one for all cells, this one's
  Beats grid;                // zero: none
  QPointF press() const { return path.front(); }
  QPointF to() const { return path.back(); }
};

struct OpenHandle {
  enum class Mark { none, box, outline, ring, diamond };
  enum class Label { always, active, never }; // when what it says stands beside it; the measure line says it anyway
  enum class Side { right, left };

  QString name;  // its own within the drawing
  QString word;  // what undo calls what it does
  QRectF rect{}; // where it is taken; marks are drawn about its centre
  Qt::CursorShape cursor = Qt::ArrowCursor;
  Mark mark = Mark::ring;
  /// The ornament as the hand leaves it; the canvas holds it as it was at the press. Nothing: not possible.
  std::function<std::optional<Ornament>(const OpenCanvas& was, const Pull& pull)> pull{};
  /// By an arrow key: one step to the right or left (±1, 0), up or down (±1, 0).
  std::function<std::optional<Ornament>(const OpenCanvas& now, int right, int up)> step{};
  /// A lane of cells, firstCell ≤ k < endCell: sideways the keys walk them, up and down this is done to the one they
  /// stand on.
  std::function<std::optional<Ornament>(const OpenCanvas& now, std::int64_t cell, int up)> stepCell{};
  std::int64_t firstCell = 0, endCell = 0;
  /// The wheel over it at this place, one step up or down.
  std::function<std::optional<Ornament>(const OpenCanvas& now, QPointF at, int up)> wheel{};
  QString label{};
  Label shown = Label::always;
  Side side = Side::right;
  bool atPress = false; // the press alone does it: a cell that is painted
};

/// A square of `half` pixels to each side, scaled, about a point.
QRectF handleBox(QPointF at, double half = 8);
/// Steps settings of the ornament by the table's own step; null: nothing goes that way.
std::function<std::optional<Ornament>(const OpenCanvas&, int, int)> stepping(const char* sideways, const char* upDown);
/// What an arrow key does: its own step, else one step of the grid where it goes sideways.
std::optional<Ornament> stepped(const OpenHandle& h, const OpenCanvas& c, int right, int up, Beats grid);

const OpenHandle* handleAt(const std::vector<OpenHandle>& all, QPointF p);
const OpenHandle* handleNamed(const std::vector<OpenHandle>& all, const QString& name);
/// Where the labels stand, in the order of the handles; null where none is. None lies on another, nor on the mark of
/// one that has a label. Between the sides of `area`, where one is given.
std::vector<QRectF> labelBoxes(const std::vector<OpenHandle>& all, const QString& active, const QRectF& area = {});
/// Marks and labels; `active` is the one under the mouse or in hand.
void paintHandles(QPainter& p, const std::vector<OpenHandle>& all, const QString& active, const QRectF& area);

} // namespace ivrin::app
