#include "audio/peaks.h"

#include <algorithm>

namespace ivrin {

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
    float low = left[0], high = left[0];
    for (std::int64_t i = 0; i < n; ++i) {
      low = std::min(low, std::min(left[i], right[i]));
      high = std::max(high, std::max(left[i], right[i]));
    }
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
  return v;
}

Peak PeakView::over(std::int64_t begin, std::int64_t end) const {
  begin = std::max<std::int64_t>(begin, 0);
  end = std::min(end, frames);
  if (begin >= end) return {};
  int k = 0;
  std::int64_t bin = PeakPyramid::kBaseFrames;
  while (k + 1 < PeakPyramid::kLevels && bin * 4 <= end - begin) {
    bin *= 4;
    ++k;
  }
  const auto& level = levels[k];
  const auto first = static_cast<std::size_t>(begin / bin);
  const auto last = std::min(static_cast<std::size_t>((end + bin - 1) / bin), level.size());
  if (first >= last) return {};
  Peak p = level[first];
  for (std::size_t i = first + 1; i < last; ++i) p = {std::min(p.low, level[i].low), std::max(p.high, level[i].high)};
  return p;
}

} // namespace ivrin
