#include "dsp/measure/attack_scan.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kHopSeconds = 0.0005, kMarginSeconds = 0.00025;
constexpr float kLeastRise = 5; // power
constexpr float kFloor = 1e-9f; // power under which nothing counts

} // namespace

AttackScan::AttackScan(double sampleRate)
    : hop_(std::max<std::int64_t>(1, std::llround(kHopSeconds * sampleRate)))
    , margin_(std::max<std::int64_t>(2, std::llround(kMarginSeconds * sampleRate))) {}

void AttackScan::begin(std::int64_t at) {
  firstBin_ = at >= 0 ? (at + hop_ - 1) / hop_ : -(-at / hop_);
  firstFrame_ = at;
  sound_.resize(0);
  for (auto* all : {powers_, means_})
    for (std::size_t of = 0; of < 2; ++of) all[of].clear();
  rises_.clear();
  found_.clear();
  decided_ = 0;
}

void AttackScan::add(StereoSpan in) {
  const std::int64_t before = sound_.frames();
  sound_.resize(before + in.frames);
  std::copy_n(in.left, in.frames, sound_.left() + before);
  std::copy_n(in.right, in.frames, sound_.right() + before);
  for (;;) {
    const std::int64_t from = (firstBin_ + std::ssize(powers_[0])) * hop_ - firstFrame_;
    if (from + hop_ > sound_.frames()) break;
    float power = 0, edges = 0;
    for (std::int64_t i = from; i < from + hop_; ++i) {
      const float l = sound_.left()[i], r = sound_.right()[i];
      const float dl = i > 0 ? l - sound_.left()[i - 1] : 0, dr = i > 0 ? r - sound_.right()[i - 1] : 0;
      power += l * l + r * r;
      edges += dl * dl + dr * dr;
    }
    powers_[0].push_back(power / static_cast<float>(hop_));
    powers_[1].push_back(edges / static_cast<float>(hop_));
    const std::int64_t bin = std::ssize(powers_[0]) - kMean;
    if (bin < 0) continue;
    for (std::size_t of = 0; of < 2; ++of) {
      const float* p = powers_[of].data() + bin;
      means_[of].push_back((p[0] + p[1] + p[2] + p[3]) / kMean);
    }
    rises_.push_back(riseAt(bin));
  }
  for (; decided_ + 2 * kNear + kMean < std::ssize(rises_); ++decided_) {
    if (!highest(decided_)) continue;
    const Rise& r = rises_[static_cast<std::size_t>(decided_)];
    const std::int64_t at = begins(decided_, r.edge);
    if (found_.empty() || at > found_.back().frame) found_.push_back({at, static_cast<double>(r.by)});
  }
}

/// How much the mean over the next bins stands over the highest before.
AttackScan::Rise AttackScan::riseAt(std::int64_t bin) const {
  Rise best;
  for (std::size_t of = 0; of < 2 && bin >= kBefore; ++of) {
    const float* here = means_[of].data() + bin;
    if (*here < kFloor * kLeastRise) continue;
    float before = 0;
    for (std::int64_t k = kMean; k <= kBefore; ++k) before = std::max(before, here[-k]);
    const float by = *here / (before + kFloor);
    if (by > best.by) best = {by, of == 1};
  }
  return best;
}

bool AttackScan::highest(std::int64_t bin) const {
  const float by = rises_[static_cast<std::size_t>(bin)].by;
  if (by < kLeastRise) return false;
  for (std::int64_t k = std::max<std::int64_t>(0, bin - kNear); k <= bin + kNear; ++k) {
    const float other = rises_[static_cast<std::size_t>(k)].by;
    if (k < bin ? other >= by : other > by) return false;
  }
  return true;
}

/// The margin before the frame where the rise in a bin begins to be heard.
std::int64_t AttackScan::begins(std::int64_t bin, bool edge) const {
  const std::int64_t at = (firstBin_ + bin) * hop_ - firstFrame_;
  const auto size = [&](std::int64_t i) {
    if (i < 1 || i >= sound_.frames()) return 0.0f;
    const float l = sound_.left()[i] - (edge ? sound_.left()[i - 1] : 0),
                r = sound_.right()[i] - (edge ? sound_.right()[i - 1] : 0);
    return std::max(std::abs(l), std::abs(r));
  };
  float top = 0, before = 0;
  for (std::int64_t i = at; i < at + kNear * hop_; ++i) top = std::max(top, size(i));
  for (std::int64_t i = at - kNear * hop_; i < at - 2 * hop_; ++i) before = std::max(before, size(i));
  const float least = std::max(0.03f * top, std::min(1.5f * before, 0.5f * top));
  std::int64_t first = at - 2 * hop_;
  while (first < at + kMean * hop_ && size(first) < least) ++first;
  return firstFrame_ + first - margin_;
}

AttackScan::Attack AttackScan::next(std::int64_t from) const {
  const auto it =
      std::lower_bound(found_.begin(), found_.end(), from, [](const Attack& a, std::int64_t f) { return a.frame < f; });
  return it == found_.end() ? Attack{} : *it;
}

void AttackScan::letGo(std::int64_t before) {
  while (!found_.empty() && found_.front().frame < before) found_.pop_front();
  const std::int64_t bins = decided_ - kBefore - 2 * kNear; // the rest will be looked at again
  if (bins < 4096) return;
  for (auto* all : {powers_, means_})
    for (std::size_t of = 0; of < 2; ++of) all[of].erase(all[of].begin(), all[of].begin() + bins);
  rises_.erase(rises_.begin(), rises_.begin() + bins);
  decided_ -= bins;
  firstBin_ += bins;
  const std::int64_t frames = firstBin_ * hop_ - firstFrame_, left = sound_.frames() - frames;
  for (float* side : {sound_.left(), sound_.right()}) std::copy_n(side + frames, left, side);
  sound_.resize(left);
  firstFrame_ += frames;
}

} // namespace ivrin
