// Travelling: the view, its eased ways, the landing it is counted to, and the playhead.
#include "app/score/score_view.h"

#include "app/score/sign_strip.h"
#include "app/theme/type.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kRightMargin = 14;
constexpr double kMostPxPerBeat = 60000, kLeastPxPerBeat = 1.5;

} // namespace

void ScoreView::fitAxis() {
  axis_.x0 = marginWidth();
  axis_.width = std::max(100, width() - marginWidth() - scaled(kRightMargin));
}

/// All but the margin: the row heads stay as they are while the view travels.
void ScoreView::updateStaves() {
  update(QRect(marginWidth(), 0, width() - marginWidth(), height()));
}

void ScoreView::goHome() {
  homeWanted_ = false;
  fitAxis();
  // The page opens where most is tied to a landing, else at the first landing after bar 1, else at the song's begin.
  landing_.reset();
  std::ptrdiff_t most = 0;
  for (const Landing& l : session_.song().allLandings()) {
    const auto& all = session_.song().ornaments;
    const auto tied = std::count_if(all.begin(), all.end(), [&](const auto& o) { return o->landing == l.id; });
    if (!landing_ || tied > most || (most == 0 && landing_->at.ticks <= 0)) {
      landing_ = l;
      most = std::max<std::ptrdiff_t>(most, tied);
    }
  }
  axis_.pxPerBeat = axis_.width / 36.0;
  axis_.left = landing_ ? landing_->at.quarters() - 21 : -0.5;
}

void ScoreView::chooseLanding() {
  const auto all = session_.song().allLandings();
  landing_.reset();
  const double centre = (axis_.left + axis_.right()) / 2;
  for (const Landing& l : all)
    if (!landing_ || std::abs(l.at.quarters() - centre) < std::abs(landing_->at.quarters() - centre)) landing_ = l;
}

void ScoreView::goToLanding(int step) {
  const auto all = session_.song().allLandings();
  if (all.empty()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (landing_ && all[i].id == landing_->id) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + step, 0,
                                                           static_cast<std::ptrdiff_t>(all.size()) - 1));
  landing_ = all[at];
  const double span = axis_.width / axis_.pxPerBeat, left = landing_->at.quarters() - span * 0.6;
  showRange(left, left + span, true);
}

void ScoreView::goToLanding(const std::string& id) {
  const auto l = session_.song().landingById(id);
  if (!l) return;
  landing_ = l;
  goToLanding(0);
}

void ScoreView::centreOn(Beats b) {
  const double span = axis_.width / axis_.pxPerBeat;
  axis_.left = b.quarters() - span / 2;
  chooseLanding();
  layOut();
  updateStaves();
  emit viewChanged();
}

void ScoreView::showRange(double begin, double end, bool eased) {
  const TimeAxis from = axis_;
  TimeAxis to = axis_;
  to.pxPerBeat = std::clamp(axis_.width / std::max(end - begin, 1e-3), kLeastPxPerBeat, kMostPxPerBeat);
  to.left = begin;
  ease_->stop();
  ease_->disconnect(this);
  const auto apply = [this](const TimeAxis& a) {
    axis_.left = a.left;
    axis_.pxPerBeat = a.pxPerBeat;
    if (landing_ && (landing_->at.quarters() < a.left || landing_->at.quarters() > a.right()) &&
        !session_.song().ornament(open_))
      chooseLanding();
    layOut();
    updateStaves();
    emit viewChanged();
  };
  if (!eased || !isVisible() || ease_->duration() == 0) {
    apply(to);
    return;
  }
  ease_->setStartValue(0.0);
  ease_->setEndValue(1.0);
  connect(ease_, &QVariantAnimation::valueChanged, this, [from, to, apply](const QVariant& v) {
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
    apply(a);
  });
  ease_->start();
}

bool ScoreView::atRest() const {
  return ease_->state() == QAbstractAnimation::Stopped && !foldTimer_.isActive() && !learnTimer_.isActive();
}

void ScoreView::comeToRest() {
  while (!atRest()) {
    if (ease_->state() != QAbstractAnimation::Stopped) ease_->setCurrentTime(ease_->duration());
    if (foldTimer_.isActive()) {
      foldTimer_.stop();
      foldNow();
    }
    if (learnTimer_.isActive()) {
      learnTimer_.stop();
      learnNow();
    }
  }
}

void ScoreView::zoom(double factor, double atX) {
  const double beat = axis_.quartersAt(atX);
  axis_.pxPerBeat = std::clamp(axis_.pxPerBeat * factor, kLeastPxPerBeat, kMostPxPerBeat);
  axis_.left = beat - (atX - axis_.x0) / axis_.pxPerBeat;
  layOut();
  updateStaves();
  emit viewChanged();
}

void ScoreView::scrollBy(double pixels) {
  // Whole device pixels, so that what is on screen can be moved as it is.
  const double ratio = devicePixelRatioF();
  const double wanted = pixels + scrollRest_, whole = std::round(wanted * ratio) / ratio;
  scrollRest_ = wanted - whole;
  if (whole == 0) return;
  axis_.left += whole / axis_.pxPerBeat;
  const bool simple =
      open_.empty() && !strip_->isVisible() && std::abs(whole) < axis_.width / 2 && whole == std::floor(whole);
  if (simple) {
    scroll(static_cast<int>(-whole), 0, QRect(marginWidth(), 0, width() - marginWidth(), height()));
    playheadDrawn_ -= whole;
    axisMoved();
  } else {
    layOut();
    updateStaves();
  }
  emit viewChanged();
}

double ScoreView::playheadX() const {
  if (!session_.isOpen()) return -10;
  return axis_.xOf(session_.plan()->map().beatAt(session_.player().position()));
}

void ScoreView::tick() {
  if (!session_.isOpen()) return;
  const double x = playheadX();
  if (x == playheadDrawn_) return;
  if (session_.player().playing() && drag_ == Drag::none && open_.empty() &&
      (x > axis_.x0 + axis_.width || x < axis_.x0)) {
    axis_.left = axis_.quartersAt(x) - 0.12 * axis_.width / axis_.pxPerBeat;
    chooseLanding();
    layOut();
    updateStaves();
    emit viewChanged();
    return;
  }
  updatePlayhead(x);
}

void ScoreView::updatePlayhead(double x) {
  for (const double at : {playheadDrawn_, x}) update(QRect(static_cast<int>(at) - scaled(8), 0, scaled(17), height()));
}

// ---------------------------------------------------------------- the view, to come back to

ViewState ScoreView::viewState() const {
  const TimeAxis& a = open_.empty() ? axis_ : formerAxis_;
  return {a.left, a.pxPerBeat, landing_ ? landing_->id : std::string(), open_, folded_, foldsQuiet_};
}

void ScoreView::restore(const ViewState& v) {
  if (!session_.isOpen()) return;
  homeWanted_ = false;
  folded_ = v.folded;
  foldsQuiet_ = v.foldsQuiet;
  fitAxis();
  axis_.pxPerBeat = std::clamp(v.pxPerBeat, kLeastPxPerBeat, kMostPxPerBeat);
  axis_.left = v.left;
  landing_ = session_.song().landingById(v.landing);
  if (!landing_) chooseLanding();
  layOut();
  update();
  emit viewChanged();
  if (session_.song().ornament(v.open)) openOrnament(v.open);
}

} // namespace ivrin::app
