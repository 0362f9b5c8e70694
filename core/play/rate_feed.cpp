#include "play/rate_feed.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ivrin {
namespace {

constexpr std::int64_t kHalfAtFullBand = 32;
constexpr double kBeta = 9, kBand = 0.955; // of the lower Nyquist frequency: 21 kHz of 22.05

} // namespace

RateFeed::RateFeed(AudioFeed& song, int songRate, int deviceRate)
    : song_(song)
    , up_(deviceRate / std::gcd(songRate, deviceRate))
    , down_(songRate / std::gcd(songRate, deviceRate)) {
  const double cut = kBand * std::min(1.0, static_cast<double>(deviceRate) / songRate);
  half_ = static_cast<std::int64_t>(std::ceil(static_cast<double>(kHalfAtFullBand) / std::min(1.0, cut / kBand)));
  half_ = (half_ + 3) / 4 * 4; // taps in eights
  const std::int64_t taps = 2 * half_;
  kernels_.resize(static_cast<std::size_t>(up_ * taps));
  for (std::int64_t p = 0; p < up_; ++p) {
    float* c = kernels_.data() + p * taps;
    double sum = 0;
    for (std::int64_t k = 0; k < taps; ++k) {
      const double x = static_cast<double>(k - half_ + 1) - static_cast<double>(p) / static_cast<double>(up_);
      const double u = x / static_cast<double>(half_);
      const double window =
          std::abs(u) < 1 ? std::cyl_bessel_i(0, kBeta * std::sqrt(1 - u * u)) / std::cyl_bessel_i(0, kBeta) : 0;
      const double sinc = std::abs(x) < 1e-12 ? cut : std::sin(M_PI * cut * x) / (M_PI * x);
      c[k] = static_cast<float>(sinc * window);
      sum += sinc * window;
    }
    for (std::int64_t k = 0; k < taps; ++k) c[k] = static_cast<float>(static_cast<double>(c[k]) / sum); // 1 at 0 Hz
  }
  left_.resize(static_cast<std::size_t>(taps + 2 * kChunk));
  right_.resize(left_.size());
  have_ = half_ - 1; // silence before the first frame, so that output 0 lies on it
}

void RateFeed::pull() noexcept {
  std::copy(left_.begin() + at_, left_.begin() + have_, left_.begin());
  std::copy(right_.begin() + at_, right_.begin() + have_, right_.begin());
  have_ -= at_;
  at_ = 0;
  song_.fill(left_.data() + have_, right_.data() + have_, kChunk);
  have_ += kChunk;
}

void RateFeed::fill(float* left, float* right, std::int64_t frames) noexcept {
  const std::int64_t taps = 2 * half_;
  for (std::int64_t i = 0; i < frames; ++i) {
    while (at_ + taps > have_) pull();
    const float* c = kernels_.data() + phase_ * taps;
    const float *l = left_.data() + at_, *r = right_.data() + at_;
    float accLeft[8] = {}, accRight[8] = {};
    for (std::int64_t k = 0; k < taps; k += 8)
      for (int j = 0; j < 8; ++j) {
        accLeft[j] += c[k + j] * l[k + j];
        accRight[j] += c[k + j] * r[k + j];
      }
    left[i] = std::accumulate(accLeft, accLeft + 8, 0.0f);
    right[i] = std::accumulate(accRight, accRight + 8, 0.0f);
    phase_ += down_;
    at_ += phase_ / up_;
    phase_ %= up_;
  }
}

} // namespace ivrin
