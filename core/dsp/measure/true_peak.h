// True peak of a stream, as a meter shows it: 4× oversampling by windowed-sinc interpolation (ITU-R BS.1770-5 annex 2).
// No allocation after the making.
#pragma once

#include <cstdint>
#include <vector>

namespace ivrin {

class TruePeakMeter {
 public:
  TruePeakMeter();
  /// The next frames; returns the largest magnitude found in them, samples included (up to 6 frames late).
  float add(const float* left, const float* right, std::int64_t frames);
  /// Forgets what came before: the next frames begin anew.
  void reset();

 private:
  static constexpr int kHalf = 8, kTaps = 2 * kHalf, kPhases = 3;
  float side(const float* in, std::int64_t frames, std::vector<float>& window);
  std::vector<float> kernels_;
  std::vector<float> left_, right_; // the last kTaps − 1 samples and the block
  std::vector<float> between_;
  static constexpr std::int64_t kBlock = 128;
};

} // namespace ivrin
