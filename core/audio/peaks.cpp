#include "audio/peaks.h"

#include "audio/simd.h"

#include <algorithm>

namespace ivrin {
namespace {

IVRIN_CLONES Peak extremes(const float* left, const float* right, std::int64_t n) {
  float low[16], high[16];
  for (int k = 0; k < 16; ++k) low[k] = high[k] = left[0];
  std::int64_t i = 0;
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) {
      const float l = left[i + k], r = right[i + k], smaller = l < r ? l : r, larger = l < r ? r : l;
      low[k] = smaller < low[k] ? smaller : low[k];
      high[k] = larger > high[k] ? larger : high[k];
    }
  for (; i < n; ++i) {
    low[0] = std::min({low[0], left[i], right[i]});
    high[0] = std::max({high[0], left[i], right[i]});
  }
  return {*std::min_element(low, low + 16), *std::max_element(high, high + 16)};
}

} // namespace

void PeakPyramid::push(int level, Peak p) {
  levels_[level].push_back(p);
  if (level + 1 == kLevels) return;
  Peak& o = open_[level + 1];
  o = count_[level + 1] == 0 ? p : Peak{std::min(o.low, p.low), std::max(o.high, p.high)};
  if (++count_[level + 1] == 4) {
    count_[level + 1] = 0;
    push(level + 1, o);
  }
}

void PeakPyramid::append(const float* left, const float* right, std::int64_t frames) {
  frames_ += frames;
  while (frames > 0) {
    const std::int64_t n = std::min(frames, kBaseFrames - inBin_);
    const auto [low, high] = extremes(left, right, n);
    open_[0] = inBin_ == 0 ? Peak{low, high} : Peak{std::min(open_[0].low, low), std::max(open_[0].high, high)};
    inBin_ += n;
    if (inBin_ == kBaseFrames) {
      inBin_ = 0;
      push(0, open_[0]);
    }
    left += n;
    right += n;
    frames -= n;
  }
}

std::int64_t PeakPyramid::bytes() const {
  std::size_t n = sizeof *this;
  for (const auto& level : levels_) n += level.capacity() * sizeof(Peak);
  return static_cast<std::int64_t>(n);
}

void PeakPyramid::finish() {
  if (inBin_ > 0) {
    inBin_ = 0;
    push(0, open_[0]);
  }
  for (int k = 1; k < kLevels; ++k)
    if (count_[k] > 0) {
      count_[k] = 0;
      push(k, open_[k]);
    }
}

PeakView PeakView::of(const PeakPyramid& p) {
  PeakView v;
  for (int k = 0; k < PeakPyramid::kLevels; ++k) v.levels[k] = p.level(k);
  v.frames = p.frames();
  v.begin = p.begin();
  return v;
}

Peak PeakView::over(std::int64_t from, std::int64_t to) const {
  from = std::max<std::int64_t>(from - begin, 0);
  to = std::min(to - begin, frames);
  if (from >= to) return {};
  int k = 0;
  std::int64_t bin = PeakPyramid::kBaseFrames;
  while (k + 1 < PeakPyramid::kLevels && bin * 4 <= to - from) {
    bin *= 4;
    ++k;
  }
  const auto& level = levels[k];
  const auto first = static_cast<std::size_t>(from / bin);
  const auto last = std::min(static_cast<std::size_t>((to + bin - 1) / bin), level.size());
  if (first >= last) return {};
  Peak p = level[first];
  for (std::size_t i = first + 1; i < last; ++i) p = {std::min(p.low, level[i].low), std::max(p.high, level[i].high)};
  return p;
}

void PeakView::columns(std::span<const std::int64_t> edges, std::int64_t offset, float* low, float* high) const {
  const std::size_t n = edges.size() - 1;
  const std::int64_t each = std::max<std::int64_t>(1, (edges.back() - edges.front()) / static_cast<std::int64_t>(n));
  int k = 0, shift = 6;
  static_assert(PeakPyramid::kBaseFrames == 64);
  while (k + 1 < PeakPyramid::kLevels && (std::int64_t{4} << shift) <= each) {
    shift += 2;
    ++k;
  }
  const std::span<const Peak> level = levels[k];
  const auto bins = static_cast<std::int64_t>(level.size());
  for (std::size_t x = 0; x < n; ++x) {
    const std::int64_t from = std::max<std::int64_t>(edges[x] - offset - begin, 0),
                       to = std::min(edges[x + 1] - offset - begin, frames);
    Peak p;
    if (from < to) {
      const std::int64_t first = from >> shift, last = std::min((to + (std::int64_t{1} << shift) - 1) >> shift, bins);
      if (first < last) {
        p = level[static_cast<std::size_t>(first)];
        for (std::int64_t i = first + 1; i < last; ++i) {
          const Peak& q = level[static_cast<std::size_t>(i)];
          p.low = q.low < p.low ? q.low : p.low;
          p.high = q.high > p.high ? q.high : p.high;
        }
      }
    }
    low[x] = p.low;
    high[x] = p.high;
  }
}

} // namespace ivrin
