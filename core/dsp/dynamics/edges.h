// Fades. Raised-cosine ramps: smooth at both ends, and w(u) + w(1−u) = 1, so that a sound and what is left of it
// by the complementary ramp add up to the sound again (equal gain).
#pragma once

#include "time/units.h"

#include <vector>

namespace ivrin {

inline constexpr double kFadeInSeconds = 0.002;
inline constexpr double kFadeOutSeconds = 0.008;

/// 0 at u ≤ 0, 1 at u ≥ 1.
double raisedCosine(double u);

/// Gains of what leaves and what comes in at `u` of a join, 0..1, at equal power: for sounds that are not alike.
struct JoinGains {
  double leaving, coming;
};
JoinGains equalPower(double u);
/// The same for sounds that are alike by `correlation`, 0..1: their sum keeps its power. At 1 it is equal gain (M.
/// Fink, M. Holters, U. Zölzer, "Signal-matched power-complementary cross-fading and dry-wet mixing", DAFx 2016).
JoinGains matchedPower(double u, double correlation);

/// A window over the half-open span: rises within `fadeIn` frames from its begin, falls within `fadeOut` frames before
/// its end; 0 outside. Fades that do not fit share the span in proportion.
class EdgeWindow {
 public:
  EdgeWindow(FrameRange span, std::int64_t fadeIn, std::int64_t fadeOut);
  static EdgeWindow withDefaultEdges(FrameRange span, double sampleRate);
  double at(Frames f) const;
  FrameRange span() const { return span_; }

 private:
  FrameRange span_;
  std::int64_t in_, out_;
};

/// A gain over song time: breakpoints with raised-cosine ramps between them, 1 outside. What an ornament does to the
/// dry or the wet plane of its row.
class GainSegments {
 public:
  struct Point {
    Frames at;
    double gain;
  };
  GainSegments() = default;
  /// Points ascending; the first and last must have gain 1.
  explicit GainSegments(std::vector<Point> points)
      : points_(std::move(points)) {}
  bool isOne() const { return points_.empty(); }
  std::size_t size() const { return points_.size(); }
  FrameRange span() const { return points_.empty() ? FrameRange{} : FrameRange{points_.front().at, points_.back().at}; }
  /// Multiplies `frames` samples beginning at song frame `from`; leaves samples where the gain is 1 untouched.
  void apply(Frames from, float* left, float* right, std::int64_t frames) const;
  double at(Frames f) const;

 private:
  std::vector<Point> points_;
};

/// 1 − depth·window: turns the plane down to `gain` over the span with these fades inside it.
GainSegments turnedDown(FrameRange span, double gain, std::int64_t fadeIn, std::int64_t fadeOut);

} // namespace ivrin
