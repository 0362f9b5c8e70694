#include "dsp/dynamics/lookahead_limiter.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace ivrin {

LookaheadLimiter::LookaheadLimiter(std::int64_t lookahead, double ceiling, double releaseFrames)
    : n_(std::max<std::int64_t>(lookahead, 0) + 1)
    , ceiling_(static_cast<float>(ceiling))
    , release_(1.0 - std::exp(-1.0 / std::max(releaseFrames, 1.0)))
    , quiet_(2 * n_)
    , sum_(n_ * kOne) {
  const auto n = static_cast<std::size_t>(n_);
  box_.assign(n, kOne);
  left_.assign(n, 0);
  right_.assign(n, 0);
  queueValue_.assign(n + 1, kOne);
  queueTime_.assign(n + 1, 0);
}

namespace {

IVRIN_CLONES float largestOf(const float* l, const float* r, std::int64_t n) {
  float best[16] = {};
  std::int64_t i = 0;
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) {
      const float a = l[i + k] < 0 ? -l[i + k] : l[i + k], b = r[i + k] < 0 ? -r[i + k] : r[i + k];
      const float m = a > b ? a : b;
      best[k] = m > best[k] ? m : best[k];
    }
  float peak = 0;
  for (const float b : best) peak = b > peak ? b : peak;
  for (; i < n; ++i) peak = std::max(peak, std::max(std::abs(l[i]), std::abs(r[i])));
  return peak;
}

} // namespace

/// Invariant 2: nothing to do but delay, so whole pieces are moved at once.
void LookaheadLimiter::delayOnly(float* left, float* right, std::int64_t frames) {
  const std::int64_t lag = n_ - 1;
  if (sum_ != n_ * kOne) {
    std::fill(box_.begin(), box_.end(), kOne);
    sum_ = n_ * kOne;
  }
  queueBegin_ = queueEnd_ = 0;
  for (std::int64_t done = 0; done < frames && lag > 0;) {
    // The ring holds the last n_ frames by clock modulo n_; a piece ends where either place wraps.
    const std::int64_t in = clock_ % n_, out = (clock_ + 1) % n_;
    const std::int64_t n = std::min({frames - done, n_ - in, n_ - out});
    for (auto [io, ring] : {std::pair{left + done, left_.data()}, std::pair{right + done, right_.data()}})
      for (std::int64_t i = 0; i < n; ++i) {
        ring[in + i] = io[i];
        io[i] = ring[out + i];
      }
    clock_ += n;
    done += n;
  }
  if (lag == 0) clock_ += frames;
  quiet_ += frames;
}

void LookaheadLimiter::process(float* left, float* right, std::int64_t frames) {
  constexpr std::int64_t kPiece = 128;
  for (std::int64_t at = 0; at < frames; at += kPiece) {
    const std::int64_t n = std::min(kPiece, frames - at);
    if (quiet_ > 2 * n_ && gain_ == kOne && largestOf(left + at, right + at, n) <= ceiling_)
      delayOnly(left + at, right + at, n);
    else
      limit(left + at, right + at, n);
  }
}

void LookaheadLimiter::limit(float* left, float* right, std::int64_t frames) {
  const std::int64_t capacity = n_ + 1;
  for (std::int64_t i = 0; i < frames; ++i, ++clock_) {
    const float xl = left[i], xr = right[i];
    const float magnitude = std::max(std::abs(xl), std::abs(xr));
    const auto slot = static_cast<std::size_t>(clock_ % n_);
    left_[slot] = xl;
    right_[slot] = xr;
    const auto oldest = static_cast<std::size_t>((clock_ + 1) % n_);

    quiet_ = magnitude > ceiling_ ? 0 : quiet_ + 1;
    if (quiet_ > 2 * n_ && gain_ == kOne) { // invariant 2: nothing to do but delay
      left[i] = left_[oldest];
      right[i] = right_[oldest];
      queueBegin_ = queueEnd_ = 0;
      if (sum_ != n_ * kOne) {
        std::fill(box_.begin(), box_.end(), kOne);
        sum_ = n_ * kOne;
      }
      continue;
    }
    const std::int64_t need =
        magnitude > ceiling_
            ? static_cast<std::int64_t>(static_cast<double>(ceiling_) / magnitude * static_cast<double>(kOne))
            : kOne;
    while (queueEnd_ > queueBegin_ && queueValue_[static_cast<std::size_t>((queueEnd_ - 1) % capacity)] >= need)
      --queueEnd_;
    queueValue_[static_cast<std::size_t>(queueEnd_ % capacity)] = need;
    queueTime_[static_cast<std::size_t>(queueEnd_ % capacity)] = clock_;
    ++queueEnd_;
    while (queueTime_[static_cast<std::size_t>(queueBegin_ % capacity)] <= clock_ - n_) ++queueBegin_;
    const std::int64_t lowest = queueValue_[static_cast<std::size_t>(queueBegin_ % capacity)];

    // At least one step, so that the gain arrives at one and invariant 2 can hold again.
    const auto rise = static_cast<std::int64_t>(static_cast<double>(kOne - gain_) * release_) + 64;
    gain_ = std::min({lowest, gain_ + rise, kOne});
    sum_ += gain_ - box_[slot];
    box_[slot] = gain_;
    const auto g = static_cast<float>(static_cast<double>(sum_) / static_cast<double>(n_ * kOne));
    // The clamp only takes off the rounding of the product (invariant 1).
    left[i] = std::clamp(left_[oldest] * g, -ceiling_, ceiling_);
    right[i] = std::clamp(right_[oldest] * g, -ceiling_, ceiling_);
  }
}

} // namespace ivrin
