#include "app/score/selected.h"

#include "app/score/score_view.h"
#include "app/score/sign_strip.h"
#include "app/theme/type.h"

#include <algorithm>

namespace ivrin::app {

Selected::Selected(ScoreView& view)
    : view_(view)
    , strip_(new SignStrip(&view)) {
  strip_->hide();
  QObject::connect(strip_, &SignStrip::picked, &view, &ScoreView::placeOnSelection);
}

void Selected::select(std::optional<Selection> s) {
  selection_ = std::move(s);
  if (selection_) view_.caret().setRow(selection_->row);
  strip_->hide();
  if (selection_ && !view_.mouse().tool()) showStrip();
  view_.update();
  emit view_.selectionChanged();
}

void Selected::drop() {
  strip_->hide();
  selection_.reset();
}

void Selected::hideStrip() {
  strip_->hide();
}

QRect Selected::stripArea() const {
  return strip_->isVisible() ? strip_->geometry() : QRect();
}

void Selected::placeStrip() {
  if (strip_->isVisible()) showStrip();
}

void Selected::showStrip() {
  if (!selection_) return;
  const QRect staff = view_.page().staffOf(selection_->rows());
  strip_->adjustSize();
  const int right = static_cast<int>(view_.axis().xOf(selection_->end));
  int x = std::clamp(right + scaled(58), Page::marginWidth() + 4,
                     std::max(Page::marginWidth() + 4, view_.width() - strip_->width() - scaled(10)));
  int y = staff.bottom() + scaled(8);
  if (y + strip_->height() > view_.height() - 4) y = staff.top() - strip_->height() - scaled(8);
  strip_->move(x, y);
  strip_->show();
  strip_->raise();
}

} // namespace ivrin::app
