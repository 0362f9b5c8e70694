// A row as a listener follows it: its level, and in which bands it lies, in steps of a few milliseconds.
#pragma once

#include "analysis/phrases.h"

#include <array>

namespace ivrin {

/// Steps of 5 ms from the start of the range on.
struct LevelCurve {
  static constexpr int kBands = RowOctaves::kBands;
  double hopSeconds = 0.005;
  std::int64_t hopFrames = 0;
  std::vector<float> db; // mean power of a step, 70 Hz to 11 kHz or more, dBFS; −120 for silence
  std::vector<std::array<float, kBands>> bandsDb; // of every second step, octaves from 100 Hz up, over 40 ms around it,
                                                  // looked at every 20 ms
};
/// The same of its bands, to be kept.
RowOctaves octavesOf(const LevelCurve& curve, Frames begin);
LevelCurve levelCurve(const RowReader& row, FrameRange range, double sampleRate);

} // namespace ivrin
