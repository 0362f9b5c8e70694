// RowHeads keeps the heads of all rows in the margin, in the order of the score, and follows a row that is dragged by
// its name.
#pragma once

#include "app/score/page_layout.h"

#include <QObject>

#include <optional>
#include <string>
#include <vector>

namespace ivrin::app {

class RowHead;
class ScoreView;

class RowHeads : public QObject {
 public:
  explicit RowHeads(ScoreView& view);

  const std::vector<std::string>& rows() const { return rows_; }
  /// As the song has its rows now.
  void make();
  void refresh();
  void place(const Page& page);
  /// Where a row that is dragged would go.
  const std::optional<RowDrop>& drop() const { return drop_; }

 private:
  RowHead* makeHead(const std::string& row);
  void drag(const std::string& row, QPoint globalAt, bool dropped);
  ScoreView& view_;
  std::vector<std::string> rows_;
  std::vector<RowHead*> heads_;
  std::optional<RowDrop> drop_;
};

} // namespace ivrin::app
