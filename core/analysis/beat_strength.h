// How strongly something begins at each moment of a row: what a tempo is found from.
#pragma once

#include "analysis/phrases.h"

#include <array>
#include <vector>

namespace ivrin {

/// Rise of the compressed spectrum from step to step (spectral flux: J. P. Bello et al., "A tutorial on onset detection
/// in music signals", IEEE TSAP 13 (2005), section III.B; compressed as in A. Klapuri et al., "Analysis of the meter of
/// acoustic musical signals", IEEE TASLP 14 (2006), section II), in three ranges: a kick, what lies between, a snare's
/// and a hat's noise.
struct BeatStrength {
  static constexpr int kRanges = 3; // under 150 Hz, to 2 kHz, over that
  double stepSeconds = 0;
  Frames begin; // the first step's middle
  std::array<std::vector<float>, kRanges> rise;
  std::size_t steps() const { return rise[0].size(); }
};

BeatStrength beatStrength(const RowReader& row, FrameRange range, double sampleRate);

} // namespace ivrin
