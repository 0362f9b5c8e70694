#include "dsp/measure/true_peak.h"

#include "dsp/filter/windowed_sinc.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

TruePeakMeter::TruePeakMeter()
    : left_(static_cast<std::size_t>(kTaps - 1 + kBlock))
    , right_(left_)
    , between_(static_cast<std::size_t>(kBlock)) {
  for (int p = 1; p <= kPhases; ++p) {
    const auto c = sincKernel(static_cast<double>(p) / (kPhases + 1), kHalf, 6.0);
    kernels_.insert(kernels_.end(), c.begin(), c.end());
  }
}

void TruePeakMeter::reset() {
  std::fill(left_.begin(), left_.end(), 0.0f);
  std::fill(right_.begin(), right_.end(), 0.0f);
}

float TruePeakMeter::side(const float* in, std::int64_t frames, std::vector<float>& window) {
  std::copy_n(in, frames, window.begin() + kTaps - 1);
  float peak = 0;
  for (std::int64_t i = 0; i < frames; ++i) peak = std::max(peak, std::abs(in[i]));
  if (peak > 1e-6f) // silence needs no looking between
    for (int p = 0; p < kPhases; ++p) {
      convolveBlock(window.data(), kernels_.data() + p * kTaps, kTaps, between_.data(), frames);
      for (std::int64_t i = 0; i < frames; ++i) peak = std::max(peak, std::abs(between_[static_cast<std::size_t>(i)]));
    }
  std::copy_n(window.begin() + frames, kTaps - 1, window.begin());
  return peak;
}

float TruePeakMeter::add(const float* left, const float* right, std::int64_t frames) {
  float peak = 0;
  for (std::int64_t at = 0; at < frames; at += kBlock) {
    const std::int64_t n = std::min(kBlock, frames - at);
    peak = std::max({peak, side(left + at, n, left_), side(right + at, n, right_)});
  }
  return peak;
}

} // namespace ivrin
