// How the time of an echo drifts: two slow sines for each side, and a flutter.
#pragma once

#include "dsp/delay/flutter.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <optional>

namespace ivrin {

class Wobble {
 public:
  /// `swing`: frames each way, the flutter's (`flutter` frames RMS) among them. `phase`: of the sines, radians, two for
  /// each side.
  Wobble(double swing, double flutter, std::uint64_t seed, const std::array<double, 4>& phase, double sampleRate)
      : slow_(swing)
      , phase_(phase)
      , rate_(sampleRate) {
    if (swing <= 0 || flutter <= 0) return;
    amount_ = std::min(flutter, 0.1 * swing);
    slow_ = swing - Flutter::kMost * amount_;
    for (std::size_t side = 0; side < 2; ++side) flutter_[side].emplace(seed * 2 + side);
  }
  /// Frames, at a frame of time; `side` 0 left, 1 right.
  double at(std::int64_t frame, std::size_t side) const {
    const double t = 2 * std::numbers::pi * static_cast<double>(frame) / rate_;
    const double drifts =
        slow_ * (0.65 * std::sin(0.37 * t + phase_[2 * side]) + 0.35 * std::sin(0.93 * t + phase_[2 * side + 1]));
    const auto& fast = flutter_[side];
    return fast ? drifts + amount_ * fast->at(static_cast<double>(frame) / rate_) : drifts;
  }

 private:
  double slow_, amount_ = 0;
  std::array<double, 4> phase_;
  double rate_;
  std::optional<Flutter> flutter_[2];
};

} // namespace ivrin
