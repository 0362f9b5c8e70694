#include "ornaments/tail.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kLongFadeSeconds = 0.05; // when the 120 s limit ends it

} // namespace

TailEnd::TailEnd(std::int64_t limit, bool cut, double floorDb, double rate)
    : limit_(limit)
    , fade_(std::min<std::int64_t>(limit, std::llround((cut ? kFadeOutSeconds : kLongFadeSeconds) * rate)))
    , quiet_(std::llround(kQuietSeconds * rate))
    , floor_(static_cast<float>(Decibels(floorDb).gain()))
    , cut_(cut) {}

void TailEnd::apply(StereoSpan out, std::int64_t offset) {
  for (std::int64_t i = std::max<std::int64_t>(0, limit_ - fade_ - offset); i < out.frames; ++i) {
    const auto g = static_cast<float>(
        raisedCosine(static_cast<double>(limit_ - offset - i) / static_cast<double>(std::max<std::int64_t>(fade_, 1))));
    out.left[i] *= g;
    out.right[i] *= g;
  }
  for (std::int64_t i = out.frames; i-- > 0;)
    if (std::max(std::abs(out.left[i]), std::abs(out.right[i])) >= floor_) {
      lastHeard_ = offset + i + 1;
      break;
    }
}

bool TailEnd::over(std::int64_t clock, std::int64_t storedUntil) {
  if (over_) return true;
  const bool silent = clock >= storedUntil + quiet_ && clock - lastHeard_ >= quiet_;
  if (clock >= limit_) {
    held_ = !cut_ && !silent;
    over_ = true;
  } else if (silent) {
    over_ = true;
    limit_ = clock;
  }
  return over_;
}

} // namespace ivrin
