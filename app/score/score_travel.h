// ScoreTravel moves the view along the song, with eased ways, and knows the landing that bars are counted to.
#pragma once

#include "app/axis/time_axis.h"
#include "song/song.h"

#include <QObject>
#include <QVariantAnimation>

#include <optional>
#include <string>

namespace ivrin::app {

class ScoreTravel : public QObject {
  Q_OBJECT
 public:
  explicit ScoreTravel(QObject* parent);

  const TimeAxis& axis() const { return axis_; }
  /// Where the staves stand on the page; the beat at their left stays.
  void fit(double x0, double width);
  /// Where a song opens: where most is tied to a landing, else at its first bar.
  void goHome(const Song& song);
  // These tell of every move.
  void showRange(double beginQuarters, double endQuarters, bool eased);
  void zoom(double factor, double atX);
  // These are told of by who calls them.
  void restore(double left, double pxPerBeat);
  void centreOn(Beats b);
  /// By whole device pixels of `1 / ratio`, so that what is on screen can be moved as it is; the rest is kept for the
  /// next time. Returns what was scrolled.
  double scrollBy(double pixels, double ratio);
  /// So that a place at the left edge of the page is seen, with a little of what was before it.
  void turnPageTo(double quarters);
  bool easing() const { return ease_.state() != QAbstractAnimation::Stopped; }
  void endEasing() { ease_.setCurrentTime(ease_.duration()); }

  const std::optional<Landing>& landing() const { return landing_; }
  void setLanding(std::optional<Landing> l) { landing_ = std::move(l); }
  /// The one nearest to the middle of the view.
  void chooseLanding(const Song& song);
  /// The same landing as the song has it now; another one where it has gone.
  void renewLanding(const Song& song);
  /// `step` landings on from the current one, and there; 0 centres it.
  void goToLanding(const Song& song, int step);

 signals:
  void moved();

 private:
  void put(const TimeAxis& a);
  TimeAxis axis_;
  QVariantAnimation ease_;
  std::optional<Landing> landing_;
  double scrollRest_ = 0;
};

} // namespace ivrin::app
