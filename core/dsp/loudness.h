// Measuring: loudness by ITU-R BS.1770 / EBU R 128 (libebur128 for whole files, K-weighting of our own for short
// stretches), true peak, energy in the lows.
#pragma once

#include "audio/buffer.h"

#include <optional>

namespace ivrin {

struct Loudness {
  double integratedLufs = -200;  // −200 when there is nothing above the gate
  double shortTermMaxLufs = -200;
  double truePeakDbtp = -200;
  double samplePeakDbfs = -200;
  double lowEnergyDb = -200;     // RMS under 200 Hz re full scale
};

/// Whole stretch; shorter than 0.4 s falls back to K-weighted RMS over the active samples.
Loudness measureLoudness(const float* left, const float* right, std::int64_t frames, int sampleRate, bool truePeak = true);

/// K-weighted power of every frame, summed over both sides (BS.1770-5 annex 1, coefficients recomputed for the rate).
std::vector<float> kWeightedPower(const float* left, const float* right, std::int64_t frames, double sampleRate);
/// The loudest window of `window` frames, in LUFS (−0.691 + 10 log10 of the mean power).
double loudestWindowLufs(const std::vector<float>& power, std::int64_t window);

double samplePeak(const float* left, const float* right, std::int64_t frames);

} // namespace ivrin
