// A streaming sample-peak limiter with look-ahead, both sides linked so that the image stays.
//
// Invariants:
//  1. |output| ≤ ceiling for any finite input.
//  2. While nothing over the ceiling is in the window and the gain has recovered, output = input delayed, bit for bit.
//  3. The gain is a fixed-point number; its running sum has no rounding, so that 2 holds for ever.
//
// Minimum over the look-ahead, exponential release, then a box average as long as the look-ahead: the averaged gain
// reaches the needed one exactly when the peak leaves (the structure is common; see e.g. D. Giannoulis et al.,
// "Digital Dynamic Range Compressor Design", JAES 60 (2012), for the release law).
#pragma once

#include <cstdint>
#include <vector>

namespace ivrin {

class LookaheadLimiter {
 public:
  /// `lookahead` in frames, ≥ 0, is also the delay; `ceiling` > 0 as amplitude.
  LookaheadLimiter(std::int64_t lookahead, double ceiling, double releaseFrames);
  /// In place; delays by lookahead.
  void process(float* left, float* right, std::int64_t frames);
  std::int64_t lookahead() const { return n_ - 1; }
  void setCeiling(double ceiling) { ceiling_ = static_cast<float>(ceiling); }

 private:
  void delayOnly(float* left, float* right, std::int64_t frames);
  void limit(float* left, float* right, std::int64_t frames);
  static constexpr std::int64_t kOne = std::int64_t{1} << 30;
  std::int64_t n_; // window length
  float ceiling_;
  double release_;
  std::int64_t clock_ = 0;
  std::int64_t quiet_ = 0;   // frames since the last one over the ceiling
  std::int64_t gain_ = kOne; // after release
  std::int64_t sum_;
  std::vector<std::int64_t> box_;   // last n gains
  std::vector<float> left_, right_; // delay
  // Monotonic queue for the sliding minimum (D. Lemire, "Streaming maximum-minimum filter", 2006).
  std::vector<std::int64_t> queueValue_, queueTime_;
  std::int64_t queueBegin_ = 0, queueEnd_ = 0;
};

} // namespace ivrin
