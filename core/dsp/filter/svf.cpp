#include "dsp/filter/svf.h"

#include "audio/buffer.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {

StereoSvf::StereoSvf(Pass pass, double cutoffLeftHz, double cutoffRightHz, double sampleRate, double q)
    : pass_(pass)
    , k_(1.0 / q)
    , rate_(sampleRate) {
  set(side_[0], cutoffLeftHz);
  set(side_[1], cutoffRightHz);
}

double StereoSvf::warped(double hz) const {
  return std::tan(std::numbers::pi * std::min(hz, 0.49 * rate_) / rate_);
}

void StereoSvf::turn(Side& s, double g) const {
  s.g = g;
  s.a1 = 1.0 / (1.0 + g * (g + k_));
  s.a2 = g * s.a1;
  s.a3 = g * s.a2;
}

void StereoSvf::setCutoff(double leftHz, double rightHz) {
  set(side_[0], leftHz);
  set(side_[1], rightHz);
}

/// `turns` brings both sides to where they stand at a frame.
template <typename Turns>
inline void StereoSvf::run(float* left, float* right, std::int64_t frames, Side& l, Side& r, Turns turns) const {
  const double k = k_;
  const bool high = pass_ == Pass::high, band = pass_ == Pass::band;
  for (std::int64_t i = 0; i < frames; ++i) {
    turns(i);
    const double xl = left[i], xr = right[i];
    const double l3 = xl - l.s2, r3 = xr - r.s2;
    const double l1 = l.a1 * l.s1 + l.a2 * l3, r1 = r.a1 * r.s1 + r.a2 * r3;
    const double l2 = l.s2 + l.a2 * l.s1 + l.a3 * l3, r2 = r.s2 + r.a2 * r.s1 + r.a3 * r3;
    l.s1 = 2 * l1 - l.s1;
    l.s2 = 2 * l2 - l.s2;
    r.s1 = 2 * r1 - r.s1;
    r.s2 = 2 * r2 - r.s2;
    left[i] = static_cast<float>(high ? xl - k * l1 - l2 : band ? k * l1 : l2);
    right[i] = static_cast<float>(high ? xr - k * r1 - r2 : band ? k * r1 : r2);
  }
}

void StereoSvf::process(float* left, float* right, std::int64_t frames) {
  Side l = side_[0], r = side_[1];
  const double rings = std::max({std::abs(l.s1), std::abs(l.s2), std::abs(r.s1), std::abs(r.s2)});
  if (rings < kRestingState && StereoSpan{left, right, frames}.isSilent()) {
    side_[0].s1 = side_[0].s2 = side_[1].s1 = side_[1].s2 = 0;
    return;
  }
  run(left, right, frames, l, r, [](std::int64_t) {});
  side_[0] = l;
  side_[1] = r;
}

void StereoSvf::processMoving(float* left, float* right, std::int64_t frames, double fromHz, double toHz,
                              std::int64_t first, std::int64_t over) {
  const double from = warped(fromHz), step = (warped(toHz) - from) / static_cast<double>(over);
  Side l = side_[0], r = side_[1];
  run(left, right, frames, l, r, [&](std::int64_t i) {
    turn(l, from + step * static_cast<double>(first + i));
    r.g = l.g;
    r.a1 = l.a1;
    r.a2 = l.a2;
    r.a3 = l.a3;
  });
  side_[0] = l;
  side_[1] = r;
}

double StereoSvf::magnitude(int side, double hz) const {
  const double w = std::tan(std::numbers::pi * std::min(hz, 0.4999 * rate_) / rate_) / side_[side].g;
  const double w2 = w * w;
  const double denominator = std::sqrt((1 - w2) * (1 - w2) + w2 * k_ * k_);
  return (pass_ == Pass::high ? w2 : pass_ == Pass::band ? w * k_ : 1.0) / denominator;
}

void StereoSvf::reset() {
  for (Side& s : side_) s.s1 = s.s2 = 0;
}

} // namespace ivrin
