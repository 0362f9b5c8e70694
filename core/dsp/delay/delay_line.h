// A delay of any length, flat in frequency: whole delays are copies, others a windowed sinc.
#pragma once

#include "dsp/filter/windowed_sinc.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <vector>

namespace ivrin {

/// Memory read at a fixed or moving fractional delay, up to kBlock frames at a time.
class DelayLine {
 public:
  static constexpr std::int64_t kBlock = 1024;
  static constexpr std::int64_t kHalf = 24;       // of the kernel: flat to 0.46 of the sample rate
  static constexpr std::int64_t kMovingHalf = 16; // of the kernel where the delay moves
  /// `delay` in frames, ≥ 1; `swing` how far it may move each way.
  DelayLine(double delay, double swing)
      : swing_(swing) {
    whole_ = static_cast<std::int64_t>(std::floor(delay));
    fraction_ = delay - static_cast<double>(whole_);
    if (fraction_ < 1e-6 || fraction_ > 1 - 1e-6) { // whole frames are exact copies
      whole_ = std::llround(delay);
      fraction_ = 0;
    }
    half_ = swing > 0 ? kMovingHalf : fraction_ == 0 ? 0 : std::min(kHalf, std::max<std::int64_t>(1, whole_ / 2));
    if (swing > 0) half_ = std::min(half_, std::max<std::int64_t>(1, static_cast<std::int64_t>(delay - swing) / 2));
    // Reading at n − delay between samples: position = n − whole − 1 + (1 − fraction).
    if (half_ > 0 && swing == 0) kernel_ = sincKernel(1 - fraction_, static_cast<int>(half_));
    size_ = 1;
    while (size_ < whole_ + static_cast<std::int64_t>(swing) + 2 * half_ + 2 * kBlock + 4) size_ *= 2;
    line_.assign(static_cast<std::size_t>(size_), 0.0f);
    window_.resize(static_cast<std::size_t>(kBlock + 2 * half_ + 2));
  }
  /// How many frames can be read before the next must have been written.
  std::int64_t block() const {
    return std::max<std::int64_t>(1,
                                  whole_ - static_cast<std::int64_t>(std::ceil(swing_)) - half_ - (swing_ > 0 ? 1 : 0));
  }
  void read(std::int64_t clock, float* out, std::int64_t n) {
    if (half_ == 0) {
      copyOut(clock - whole_, out, n);
      return;
    }
    copyOut(clock - whole_ - 1 - half_ + 1, window_.data(), n + 2 * half_ - 1);
    convolveBlock(window_.data(), kernel_.data(), static_cast<int>(2 * half_), out, n);
  }
  float readMoving(std::int64_t clock, double extra, const SincTable& table) const {
    const double position = static_cast<double>(clock - whole_) - fraction_ - extra;
    const double floor = std::floor(position);
    float x[2 * kMovingHalf];
    const auto first = static_cast<std::int64_t>(floor) - table.half() + 1;
    for (int k = 0; k < 2 * table.half(); ++k) x[k] = line_[static_cast<std::size_t>((first + k) & (size_ - 1))];
    return table.read(x + table.half() - 1, position - floor);
  }
  void write(std::int64_t clock, const float* in, std::int64_t n) {
    while (n > 0) {
      const std::int64_t at = clock & (size_ - 1), m = std::min(n, size_ - at);
      std::memcpy(line_.data() + at, in, static_cast<std::size_t>(m) * sizeof(float));
      clock += m;
      in += m;
      n -= m;
    }
  }
  std::int64_t half() const { return half_; }

 private:
  void copyOut(std::int64_t from, float* out, std::int64_t n) const {
    while (n > 0) {
      const std::int64_t at = from & (size_ - 1), m = std::min(n, size_ - at);
      std::memcpy(out, line_.data() + at, static_cast<std::size_t>(m) * sizeof(float));
      from += m;
      out += m;
      n -= m;
    }
  }
  std::int64_t whole_ = 0, half_ = 0, size_ = 0;
  double fraction_ = 0, swing_;
  std::vector<float> kernel_, line_, window_;
};

} // namespace ivrin
