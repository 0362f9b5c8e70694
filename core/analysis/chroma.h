// Which notes sound in a row, whatever their octave: what harmony, keys and bars are found from.
#pragma once

#include "analysis/phrases.h"

#include <array>
#include <vector>

namespace ivrin {

/// Twelve pitch classes, C first (T. Fujishima, "Realtime chord recognition of musical sound", ICMC 1999), from
/// spectral peaks between 60 Hz and 2 kHz, equal temperament at A = 440 Hz.
using Chroma = std::array<float, 12>;

struct RowChroma {
  double stepSeconds = 0;
  Frames begin; // the first step's middle
  std::vector<Chroma> steps;
};

RowChroma rowChroma(const RowReader& row, FrameRange range, double sampleRate);

} // namespace ivrin
