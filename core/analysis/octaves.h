// In which octaves a sound lies, coarsely and in little memory: what two sounds are compared by.
#pragma once

#include "time/units.h"

#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

namespace ivrin {

/// Steps of 20 ms from `begin` on; levels of seven octaves from 100 Hz up, mean power of both sides over 40 ms.
struct RowOctaves {
  static constexpr int kBands = 7;
  /// Where an octave begins, Hz; kBands: where the last one ends.
  static double beginsAtHz(double band) { return 100 * std::exp2(band); }
  /// Half decibels over −120 dBFS: 350 bytes for each second.
  using Step = std::array<std::uint8_t, kBands>;
  static std::uint8_t packed(float db);
  static double db(std::uint8_t packed) { return packed / 2.0 - 120; }

  Frames begin;
  std::int64_t hopFrames = 0;
  std::vector<Step> steps;
  /// The step that a frame lies in; none outside.
  const Step* at(Frames f) const;
};

} // namespace ivrin
