#include "dsp/pitch_shifter.h"

#include "dsp/edges.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {
constexpr int kTapReach = 8;
}

PitchShifter::PitchShifter(double ratio, std::int64_t window)
    : ratio_(ratio)
    , window_(std::max<std::int64_t>(window, 16))
    , fade_(std::max<std::int64_t>(window_ / 4, 4))
    , size_(1)
    , sinc_(kTapReach, 256) {
  while (size_ < 3 * window_ + 4 * kTapReach) size_ *= 2;
  left_.assign(static_cast<std::size_t>(size_), 0);
  right_.assign(static_cast<std::size_t>(size_), 0);
  delay_ = latency();
}

double PitchShifter::latency() const {
  return kTapReach + static_cast<double>(window_) / 2;
}

float PitchShifter::tap(const std::vector<float>& line, double delay) const {
  // Whole part by ring index, the fraction by the sinc table on a small contiguous copy.
  const double position = static_cast<double>(clock_) - delay;
  const double whole = std::floor(position);
  float x[2 * kTapReach];
  const auto first = static_cast<std::int64_t>(whole) - kTapReach + 1;
  for (int k = 0; k < 2 * kTapReach; ++k) x[k] = line[static_cast<std::size_t>((first + k) & (size_ - 1))];
  return sinc_.read(x + kTapReach - 1, position - whole);
}

double PitchShifter::bestJump(double target) const {
  // Compare what follows the new place with what follows the old one, over a quarter window, around the target.
  const std::int64_t search = window_ / 4, length = fade_;
  const auto sample = [&](std::int64_t delay, std::int64_t i) {
    const auto at = static_cast<std::size_t>((clock_ - delay - i) & (size_ - 1));
    return static_cast<double>(left_[at] + right_[at]);
  };
  const auto here = static_cast<std::int64_t>(delay_), aim = static_cast<std::int64_t>(target);
  double best = -2;
  std::int64_t found = aim;
  for (std::int64_t d = aim - search; d <= aim + search; d += 2) {
    if (d < kTapReach + 1 || d > kTapReach + window_) continue;
    double cross = 0, energy = 1e-12;
    for (std::int64_t i = 0; i < length; i += 4) {
      const double a = sample(here, i), b = sample(d, i);
      cross += a * b;
      energy += b * b;
    }
    const double score = cross / std::sqrt(energy);
    if (score > best + 1e-12) {
      best = score;
      found = d;
    }
  }
  return static_cast<double>(found);
}

void PitchShifter::process(float* left, float* right, std::int64_t frames) {
  const double drift = 1.0 - ratio_; // how the delay grows per frame
  const double low = kTapReach + 1 + (drift < 0 ? -drift * static_cast<double>(fade_) : 0);
  const double high = kTapReach + static_cast<double>(window_);
  for (std::int64_t i = 0; i < frames; ++i) {
    const auto slot = static_cast<std::size_t>(clock_ & (size_ - 1));
    left_[slot] = left[i];
    right_[slot] = right[i];
    if (fadeLeft_ == 0 && (delay_ < low || delay_ > high)) {
      fadingDelay_ = delay_;
      const double span = static_cast<double>(window_) * 0.5;
      delay_ = bestJump(std::clamp(drift < 0 ? delay_ + span : delay_ - span, low, high));
      fadeLeft_ = fade_;
    }
    float l = tap(left_, delay_), r = tap(right_, delay_);
    if (fadeLeft_ > 0) {
      const auto w = static_cast<float>(raisedCosine(static_cast<double>(fadeLeft_) / static_cast<double>(fade_)));
      l += (tap(left_, std::max(fadingDelay_, kTapReach + 1.0)) - l) * w;
      r += (tap(right_, std::max(fadingDelay_, kTapReach + 1.0)) - r) * w;
      fadingDelay_ += drift;
      --fadeLeft_;
    }
    left[i] = l;
    right[i] = r;
    delay_ += drift;
    ++clock_;
  }
}

} // namespace ivrin
