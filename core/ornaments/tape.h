// Tape: the row at a speed that falls, rises, dips or runs backwards.
#pragma once

#include "ornaments/kind.h"
#include "ornaments/speed_curve.h"

namespace ivrin {

/// What the settings come to at a place: the motion over the frames it takes, and where it reads from.
struct TapeMotion {
  enum class Shape { stop, start, dip, spinBack, custom };
  Shape shape = Shape::stop;
  SpeedCurve speed{Curve(1.0)};
  FrameRange frames; // song frames the motion takes
  FrameRange extent; // with the silence behind it
  double bottom = 1; // u of the dip's lowest place, where its two heads meet
  bool pitchLock = false;
  double lowestSemitones = -24;
  double fade = 1;     // 0..1, how far the level follows the speed
  std::string refusal; // why it cannot be played; mostly empty
  /// Song frame read at u of the motion, by the head that leaves the row (first) or the one that comes back to it.
  double positionLeaving(double u) const;
  double positionArriving(double u) const;
  /// The one that is heard at u.
  double positionAt(double u) const;
  /// Level at a speed: follows it by `fade`, and is nothing where the tape stands still.
  double levelAt(double speed) const;
  /// Under a locked pitch: semitones at a speed.
  double semitonesAt(double speed) const;
};

/// The motion of a tape ornament at its place.
TapeMotion tapeMotion(const Placed& p);
/// The curve over 0..1 that a shape stands for; "custom" gives what is set.
Curve tapeCurve(const TableSpec& table, const Settings& settings);

class Tape : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  /// A start arrives at the end of its span.
  std::optional<Frames> landingFrame(const Placed& p) const override;
  /// The end of the motion.
  Frames doneAt(const Placed& p) const override { return tapeMotion(p).frames.end; }
  bool leadsIn(const Ornament& o) const override;
  bool levelIsTheEffect() const override { return true; }
  /// Of a start: the span's end.
  std::optional<Ornament> withLandingAt(const Placed& p, Beats at) const override;
};

} // namespace ivrin
