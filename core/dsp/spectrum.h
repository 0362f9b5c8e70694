// The long-term spectrum of a stretch (P. D. Welch, 1967: averaged windowed transforms), in bands of equal ratio.
#pragma once

#include "audio/buffer.h"

#include <vector>

namespace ivrin {

/// Mean level of both sides in `bands` bands from 20 Hz to 20 kHz, dB re a full-scale sine in the band; −200 for none.
std::vector<float> bandLevels(const StereoBuffer& sound, double sampleRate, int bands);

} // namespace ivrin
