// A speed over a stretch, and where it has got to: the curve's integral in closed form, so that a position is a
// function of the frame alone and nothing adds up on the way.
#pragma once

#include "song/curve.h"

#include <cstdint>

namespace ivrin {

class SpeedCurve {
 public:
  /// x 0..1 over the stretch (what lies outside is left out), y in times normal; negative runs backwards.
  explicit SpeedCurve(const Curve& curve);
  /// At u 0..1 of the stretch; clamped.
  double speed(double u) const;
  /// ∫ speed from 0 to u, in stretches: 1 is as much as was there. With bend law P(b,u) = expm1(cu)/expm1(c), c = 6b,
  /// ∫P = (expm1(cu)/c − u)/expm1(c).
  double position(double u) const;
  /// position(1): the mean speed.
  double total() const { return total_; }
  /// Lowest and highest position, and the largest magnitude of the speed.
  double lowest() const { return lowest_; }
  double highest() const { return highest_; }
  double fastest() const { return fastest_; }
  /// Over a stretch of `length` frames: position (frames from the begin) and speed at frames from..from+count−1, in
  /// runs of at most 32 frames that begin at multiples of 32.
  void fill(std::int64_t length, std::int64_t from, std::int64_t count, double* position, double* speed) const;

 private:
  struct Segment {
    double x0, width, y0, rise, c, before; // `before`: the integral up to x0; width > 0
  };
  const Segment& segmentAt(double u) const;

  std::vector<Segment> segments_; // cover 0..1 without gaps
  double total_ = 0, lowest_ = 0, highest_ = 0, fastest_ = 0;
};

} // namespace ivrin
