// Pitch shift inside a feedback loop: two reading heads that glide through a short window and hand over to each
// other where the signal fits best (time-domain splicing; W. Hejna and B. Musicus, "The SOLAFS time-scale
// modification algorithm", 1991, for the search by normalised correlation).
#pragma once

#include "dsp/windowed_sinc.h"

#include <cstdint>
#include <vector>

namespace ivrin {

class PitchShifter {
 public:
  /// `ratio` > 0 (2 = an octave up); `window` in frames, ≥ 16, bounds the delay.
  PitchShifter(double ratio, std::int64_t window);
  /// Mean delay through the shifter, frames.
  double latency() const;
  void process(float* left, float* right, std::int64_t frames);

 private:
  float tap(const std::vector<float>& line, double delay) const;
  double bestJump(double target) const;

  double ratio_;
  std::int64_t window_, fade_, size_;
  SincTable sinc_;
  std::vector<float> left_, right_;
  std::int64_t clock_ = 0;
  double delay_, fadingDelay_ = 0;
  std::int64_t fadeLeft_ = 0;
};

} // namespace ivrin
