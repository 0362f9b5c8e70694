#include "app/score/row_heads.h"

#include "app/score/row_head.h"
#include "app/score/score_view.h"
#include "app/theme/type.h"

#include <algorithm>
#include <set>

namespace ivrin::app {

RowHeads::RowHeads(ScoreView& view)
    : view_(view) {}

void RowHeads::make() {
  for (RowHead* h : heads_) { // one of them may have told of it
    h->hide();
    h->deleteLater();
  }
  heads_.clear();
  rows_ = view_.session().song().rowsInScoreOrder();
  for (const std::string& id : rows_) heads_.push_back(makeHead(id));
}

RowHead* RowHeads::makeHead(const std::string& id) {
  auto* head = new RowHead(view_.session(), id, &view_);
  connect(head, &RowHead::foldRequested, this, [this, id] { view_.folds().toggle(id); });
  connect(head, &RowHead::fileWanted, this, [this, id] { emit view_.fileWanted(id); });
  connect(head, &RowHead::chosen, this, [this, id] {
    view_.setFocus();
    view_.caret().setRow(id);
  });
  connect(head, &RowHead::menuWanted, this, [this, id](const QPoint& at) {
    view_.caret().setRow(id);
    emit view_.rowMenuWanted(at);
  });
  connect(head, &RowHead::dragged, this, [this, id](const QPoint& at, bool dropped) { drag(id, at, dropped); });
  head->show();
  return head;
}

void RowHeads::refresh() {
  for (RowHead* h : heads_) h->refresh();
}

void RowHeads::place(const Page& page) {
  for (std::size_t i = 0; i < page.rows.size(); ++i) {
    const RowBox& r = page.rows[i];
    heads_[i]->setGeometry(0, r.open ? r.staffTop : r.y + 1, Page::marginWidth(),
                           r.open ? std::min(r.staffHeight, scaled(70)) : r.height - 2);
    heads_[i]->setFolded(r.thin);
    heads_[i]->setVisible(r.y + r.height > Page::rulerHeight());
  }
}

void RowHeads::drag(const std::string& row, QPoint globalAt, bool dropped) {
  std::set<std::string> buses;
  const Song& song = view_.session().song();
  if (song.stem(row))
    for (const Bus& b : song.buses) buses.insert(b.id);
  const auto to = rowDropAt(view_.page(), view_.mapFromGlobal(globalAt).y(), buses);
  drop_ = dropped ? std::nullopt : to;
  view_.update();
  if (!dropped || !to) return;
  view_.caret().setRow(row);
  QMetaObject::invokeMethod( // the head that was let go is still telling it
      this, [this, row, to = *to] { emit view_.rowDropped(row, to.before, to.ontoBus); }, Qt::QueuedConnection);
}

} // namespace ivrin::app
