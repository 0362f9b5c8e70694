#include "finish/ducking.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace ivrin {

std::int64_t Ducking::lookaheadFrames(double sampleRate, double fallSeconds) {
  return std::llround((fallSeconds + 0.005) * sampleRate) + (2 + kSteps) * kGrid;
}

Ducking::Ducking(double depthDb, double referenceDb, double sampleRate, Frames first, Key key, double fallSeconds,
                 double riseSeconds)
    : depth_(depthDb)
    , reference_(referenceDb)
    , ahead_(std::max<std::int64_t>(1, std::llround(fallSeconds * sampleRate / kGrid)))
    , key_(std::move(key))
    , at_(first) {
  fall_ = depth_ / static_cast<double>(ahead_);
  rise_ = depth_ / std::max(1.0, riseSeconds * sampleRate / kGrid);
}

double Ducking::nextGain() {
  // The window holds the wanted reduction of this step and of `ahead_` steps to come.
  while (static_cast<std::int64_t>(wanted_.size()) <= ahead_) {
    if (inScratch_ == kSteps) { // several steps are read at once: a read has its price
      key_(at_, scratch_.span());
      at_ = at_ + Frames(kGrid * kSteps);
      inScratch_ = 0;
    }
    const StereoSpan s = scratch_.span().part(kGrid * inScratch_++, kGrid);
    double power = 1e-12;
    for (std::int64_t i = 0; i < kGrid; ++i)
      power =
          std::max(power, static_cast<double>(s.left[i]) * s.left[i] + static_cast<double>(s.right[i]) * s.right[i]);
    // The step's peak stands for its level: 3 dB over the RMS of a sine, which the thresholds allow for.
    const double db = 10 * std::log10(power / 2) - 3;
    wanted_.push_back(depth_ * std::clamp((db - (reference_ - 40)) / 22, 0.0, 1.0));
  }
  const double target = *std::max_element(wanted_.begin(), wanted_.end());
  wanted_.erase(wanted_.begin());
  db_ = target > db_ ? std::min(target, db_ + fall_) : std::max(target, db_ - rise_);
  return Decibels(-db_).gain();
}

void Ducking::apply(StereoSpan io) {
  for (std::int64_t i = 0; i < io.frames; ++i) {
    if (inStep_ == 0) {
      before_ = started_ ? after_ : nextGain();
      after_ = nextGain();
      started_ = true;
    }
    const double u = static_cast<double>(inStep_) / kGrid;
    const auto g = static_cast<float>(before_ + (after_ - before_) * u);
    io.left[i] *= g;
    io.right[i] *= g;
    inStep_ = (inStep_ + 1) % kGrid;
  }
}

} // namespace ivrin
