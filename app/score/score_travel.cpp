#include "app/score/score_travel.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kEaseMs = 180;
constexpr double kMostPxPerBeat = 60000, kLeastPxPerBeat = 1.5;
constexpr double kHomeBeats = 36, kHomeBefore = 21; // of the page a song opens with, and of them before the landing
constexpr double kAirBefore = 0.5, kMostBefore = 4; // beats before bar 1 where it opens there

} // namespace

ScoreTravel::ScoreTravel(QObject* parent)
    : QObject(parent) {
  ease_.setDuration(kEaseMs);
  ease_.setEasingCurve(QEasingCurve::InOutCubic);
}

void ScoreTravel::fit(double x0, double width) {
  axis_.x0 = x0;
  axis_.width = width;
}

void ScoreTravel::put(const TimeAxis& a) {
  axis_.left = a.left;
  axis_.pxPerBeat = a.pxPerBeat;
  emit moved();
}

void ScoreTravel::goHome(const Song& song) {
  landing_.reset();
  std::ptrdiff_t most = 0;
  for (const Landing& l : song.allLandings()) {
    const auto& all = song.ornaments;
    const auto tied = std::count_if(all.begin(), all.end(), [&](const auto& o) { return o->landing == l.id; });
    if (!landing_ || tied > most || (most == 0 && landing_->at.ticks <= 0)) {
      landing_ = l;
      most = std::max<std::ptrdiff_t>(most, tied);
    }
  }
  axis_.pxPerBeat = axis_.width / kHomeBeats;
  if (most > 0) {
    axis_.left = landing_->at.quarters() - kHomeBefore;
    return;
  }
  // At its first bar, with a little of what the stems have before it.
  const double before = song.startSeconds * (song.tempo.empty() ? 120 : song.tempo.front().bpm) / 60;
  axis_.left = -std::clamp(before, kAirBefore, kMostBefore);
}

void ScoreTravel::chooseLanding(const Song& song) {
  landing_.reset();
  const double centre = (axis_.left + axis_.right()) / 2;
  for (const Landing& l : song.allLandings())
    if (!landing_ || std::abs(l.at.quarters() - centre) < std::abs(landing_->at.quarters() - centre)) landing_ = l;
}

void ScoreTravel::renewLanding(const Song& song) {
  if (!landing_) return;
  landing_ = song.landingById(landing_->id);
  if (!landing_) chooseLanding(song);
}

void ScoreTravel::goToLanding(const Song& song, int step) {
  const auto all = song.allLandings();
  if (all.empty()) return;
  std::ptrdiff_t at = 0;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (landing_ && all[i].id == landing_->id) at = static_cast<std::ptrdiff_t>(i);
  at = std::clamp<std::ptrdiff_t>(at + step, 0, static_cast<std::ptrdiff_t>(all.size()) - 1);
  landing_ = all[static_cast<std::size_t>(at)];
  const double span = axis_.width / axis_.pxPerBeat, left = landing_->at.quarters() - span * 0.6;
  showRange(left, left + span, true);
}

void ScoreTravel::showRange(double begin, double end, bool eased) {
  const TimeAxis from = axis_;
  TimeAxis to = axis_;
  to.pxPerBeat = std::clamp(axis_.width / std::max(end - begin, 1e-3), kLeastPxPerBeat, kMostPxPerBeat);
  to.left = begin;
  ease_.stop();
  ease_.disconnect(this);
  if (!eased) return put(to);
  ease_.setStartValue(0.0);
  ease_.setEndValue(1.0);
  connect(&ease_, &QVariantAnimation::valueChanged, this, [this, from, to](const QVariant& v) {
    const double u = v.toDouble();
    TimeAxis a = to;
    // Zoom geometrically and keep the edges travelling straight.
    a.pxPerBeat = from.pxPerBeat * std::pow(to.pxPerBeat / from.pxPerBeat, u);
    const double rightFrom = from.left + from.width / from.pxPerBeat, rightTo = to.left + to.width / to.pxPerBeat;
    const double scale =
        std::abs(rightTo - to.left - (rightFrom - from.left)) < 1e-9
            ? u
            : (a.width / a.pxPerBeat - (rightFrom - from.left)) / ((rightTo - to.left) - (rightFrom - from.left));
    a.left = from.left + (to.left - from.left) * (u >= 1 ? 1 : scale);
    put(a);
  });
  ease_.start();
}

void ScoreTravel::restore(double left, double pxPerBeat) {
  axis_.left = left;
  axis_.pxPerBeat = std::clamp(pxPerBeat, kLeastPxPerBeat, kMostPxPerBeat);
}

void ScoreTravel::centreOn(Beats b) {
  axis_.left = b.quarters() - axis_.width / axis_.pxPerBeat / 2;
}

void ScoreTravel::zoom(double factor, double atX) {
  const double beat = axis_.quartersAt(atX);
  TimeAxis a = axis_;
  a.pxPerBeat = std::clamp(a.pxPerBeat * factor, kLeastPxPerBeat, kMostPxPerBeat);
  a.left = beat - (atX - a.x0) / a.pxPerBeat;
  put(a);
}

double ScoreTravel::scrollBy(double pixels, double ratio) {
  const double wanted = pixels + scrollRest_, whole = std::round(wanted * ratio) / ratio;
  scrollRest_ = wanted - whole;
  axis_.left += whole / axis_.pxPerBeat;
  return whole;
}

void ScoreTravel::turnPageTo(double quarters) {
  axis_.left = quarters - 0.12 * axis_.width / axis_.pxPerBeat;
}

} // namespace ivrin::app
