#include "dsp/measure/onsets.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kOnsetHopSeconds = 0.001;
constexpr int kBefore = 40, kBeforeGap = 2, kAfter = 6; // steps looked at on both sides
constexpr double kLeastRiseDb = 7, kUnderLoudDb = 38, kLeastDb = -66, kApartSeconds = 0.05;

double decibels(double power) {
  return 10 * std::log10(power + 1e-12);
}

} // namespace

OnsetFinder::OnsetFinder(double sampleRate)
    : hop_(std::max<std::int64_t>(1, std::llround(kOnsetHopSeconds * sampleRate)))
    , block_(static_cast<std::size_t>(hop_)) {}

void OnsetFinder::add(const float* left, const float* right, std::int64_t frames) {
  for (std::int64_t i = 0; i < frames; ++i) {
    const float l = left[i], r = right[i], dl = l - lastLeft_, dr = r - lastRight_;
    lastLeft_ = l;
    lastRight_ = r;
    energy_ += 0.5 * (static_cast<double>(l) * l + static_cast<double>(r) * r);
    edge_ += 0.5 * (static_cast<double>(dl) * dl + static_cast<double>(dr) * dr);
    const float m = std::max(std::abs(l), std::abs(r));
    block_[static_cast<std::size_t>(inHop_)] = m;
    largest_ = std::max(largest_, m);
    if (++inHop_ < hop_) continue;
    const auto first = std::find_if(block_.begin(), block_.end(), [&](float v) { return v >= 0.5f * largest_; });
    steps_.push_back({static_cast<float>(energy_ / static_cast<double>(hop_)),
                      static_cast<float>(edge_ / static_cast<double>(hop_)), largest_,
                      static_cast<std::int32_t>(first - block_.begin())});
    energy_ = edge_ = 0;
    largest_ = 0;
    inHop_ = 0;
  }
}

std::vector<Onset> OnsetFinder::finish() const {
  std::vector<Onset> found;
  const int n = static_cast<int>(steps_.size());
  if (n == 0) return found;
  // Loud passages set what counts as an attack.
  std::vector<float> levels;
  for (const Step& s : steps_)
    if (s.energy > 1e-7f) levels.push_back(s.energy);
  if (levels.empty()) return found;
  const auto nth = levels.begin() + static_cast<std::ptrdiff_t>(static_cast<double>(levels.size() - 1) * 0.95);
  std::nth_element(levels.begin(), nth, levels.end());
  const double least = std::max(kLeastDb, decibels(static_cast<double>(*nth)) - kUnderLoudDb);

  const auto at = [&](int h, bool edge) {
    if (h < 0 || h >= n) return 0.0;
    const Step& s = steps_[static_cast<std::size_t>(h)];
    return static_cast<double>(edge ? s.edge : s.energy);
  };
  // How much the next few steps stand over the ones before, in decibels; the larger of both measures.
  std::vector<float> rise(static_cast<std::size_t>(n));
  std::vector<char> byEdge(static_cast<std::size_t>(n));
  for (int h = 0; h < n; ++h) {
    double best = 0;
    for (const bool edge : {false, true}) {
      double before = 0, after = 0, highest = 0;
      for (int k = h - kBefore; k <= h - kBeforeGap; ++k) {
        before += at(k, edge);
        highest = std::max(highest, at(k, edge));
      }
      before /= kBefore - kBeforeGap + 1;
      for (int k = h; k < h + kAfter; ++k) after += at(k, edge);
      after /= kAfter;
      if (!edge && decibels(after) < least) break;
      // Over the mean, and over most of what was there at its loudest, so that a beating tone is no attack.
      const double over = std::min(decibels(after) - decibels(before), decibels(after) - decibels(highest) + 4);
      if (over <= best) continue;
      best = over;
      byEdge[static_cast<std::size_t>(h)] = edge;
    }
    rise[static_cast<std::size_t>(h)] = static_cast<float>(best);
  }
  const int apart = static_cast<int>(std::lround(kApartSeconds / kOnsetHopSeconds));
  for (int h = 0; h < n; ++h) {
    const float r = rise[static_cast<std::size_t>(h)];
    if (static_cast<double>(r) < kLeastRiseDb) continue;
    // The highest rise within a little while stands for the attack.
    int top = h;
    for (int k = h + 1; k < std::min(n, h + apart); ++k)
      if (rise[static_cast<std::size_t>(k)] > rise[static_cast<std::size_t>(top)]) top = k;
    // The step that carries the attack: the first one from there whose power, over what sounded before, is a tenth of
    // the highest that follows.
    const bool edge = byEdge[static_cast<std::size_t>(top)] != 0;
    double after = 0, before = 0;
    for (int k = top; k < std::min(n, top + kAfter); ++k) after = std::max(after, at(k, edge));
    for (int k = top - kBefore; k < top - 3; ++k) before = std::max(before, at(k, edge));
    int first = std::max(0, top - 3);
    while (first < top + kAfter && at(first, edge) - before < 0.1 * (after - before)) ++first;
    first = std::min(first, n - 1);
    const Step& s = steps_[static_cast<std::size_t>(first)];
    found.push_back({static_cast<std::int64_t>(first) * hop_ + s.firstLoud,
                     static_cast<double>(rise[static_cast<std::size_t>(top)])});
    h = std::max(h, first) + apart;
  }
  return found;
}

} // namespace ivrin
