#include "app/score/shown_openings.h"

#include "app/score/score_view.h"

#include <algorithm>

namespace ivrin::app {

ShownOpenings::ShownOpenings(ScoreView& view)
    : view_(view)
    , session_(view.session()) {}

void ShownOpenings::setShown(bool on, bool all) {
  shown_ = on;
  all_ = all;
  renew();
}

const Opening* ShownOpenings::under(QPointF at) const {
  return shown_ ? marks_.under(at, view_.page(), view_.axis(), session_.song()) : nullptr;
}

void ShownOpenings::setHot(const Opening* o) {
  if (std::exchange(hot_, o) != o) view_.updateStaves();
}

void ShownOpenings::take(Opening o) {
  if (o.suits.empty()) return;
  const BeatRange source =
      sourceOf(o, session_.plan()->map(), session_.rows().phrases(o.row), session_.rows().onsets(o.row));
  view_.caret().selectOnRow(o.row, source);
  session_.placing().place(o.suits.front(), {o.row}, source);
}

void ShownOpenings::renew() {
  hot_ = nullptr;
  const std::vector<Opening>* all = session_.findings().openings();
  const TempoMap map = session_.plan() ? session_.plan()->map() : TempoMap();
  std::vector<RankedOpening> shown;
  if (all && shown_) shown = rankedOpenings(*all, session_.song(), map, kWorthShowing);
  if (!all_) std::erase_if(shown, [](const RankedOpening& o) { return o.rank == RankedOpening::Rank::more; });
  marks_.show(std::move(shown), map);
  if (!all && shown_) session_.findings().lookForOpenings();
  view_.update();
}

void ShownOpenings::refresh() {
  if (shown_) renew(); // one that was taken makes room for the next
}

} // namespace ivrin::app
