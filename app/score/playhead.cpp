#include "app/score/playhead.h"

#include "app/score/score_view.h"
#include "app/theme/type.h"

#include <utility>

namespace ivrin::app {

Playhead::Playhead(ScoreView& view)
    : view_(view)
    , session_(view.session()) {}

double Playhead::wanted() const {
  if (!session_.isOpen()) return -10;
  return view_.axis().xOf(session_.plan()->map().beatAt(session_.player().position()));
}

void Playhead::setFollows(bool on) {
  if (std::exchange(follows_, on) != on) emit view_.followsChanged(on);
}

bool Playhead::tick() {
  if (!session_.isOpen()) return false;
  const bool playing = session_.player().playing();
  if (playing && !wasPlaying_) setFollows(true);
  wasPlaying_ = playing;
  const double x = wanted();
  const TimeAxis& axis = view_.axis();
  if (playing && follows_ && !view_.mouse().tool() && !view_.opened().isOpen() &&
      (x > axis.x0 + axis.width || x < axis.x0))
    return true;
  if (x == x_) return false;
  for (const double at : {std::exchange(x_, x), x})
    view_.update(QRect(static_cast<int>(at) - scaled(8), 0, scaled(17), view_.height()));
  return false;
}

} // namespace ivrin::app
