// A pyramid of smallest and largest samples over both sides, for drawing. Level k has bins of 64·4^k frames.
#pragma once

#include "time/units.h"

#include <cstdint>
#include <span>
#include <vector>

namespace ivrin {

struct Peak {
  float low = 0, high = 0;
  friend bool operator==(Peak, Peak) = default;
};

class PeakPyramid {
 public:
  static constexpr std::int64_t kBaseFrames = 64;
  static constexpr int kLevels = 6;

  /// Appends frames; `right` may equal `left`. A last partial bin is kept open and counts once flushed by finish().
  void append(const float* left, const float* right, std::int64_t frames);
  void finish();

  std::int64_t frames() const { return frames_; }
  /// Frames are counted as the song's: its first one is this one. 0 unless said.
  void setBegin(std::int64_t frame) { begin_ = frame; }
  std::int64_t begin() const { return begin_; }
  std::int64_t bytes() const;
  const std::vector<Peak>& level(int k) const { return levels_[static_cast<std::size_t>(k)]; }

 private:
  void push(int level, Peak p);
  std::vector<Peak> levels_[kLevels];
  Peak open_[kLevels];
  int count_[kLevels] = {};
  std::int64_t inBin_ = 0, frames_ = 0, begin_ = 0;
};

/// The levels of a finished pyramid, owned elsewhere (a mapped file).
struct PeakView {
  std::span<const Peak> levels[PeakPyramid::kLevels];
  std::int64_t frames = 0, begin = 0;
  static PeakView of(const PeakPyramid& p);
  /// Extremes over the half-open range of frames; outside the signal counts as silence.
  Peak over(std::int64_t from, std::int64_t to) const;
  /// The same for neighbouring columns [edges[i] − offset, edges[i + 1] − offset), quicker: one level for all of them,
  /// at least a bin each. `low` and `high` have edges.size() − 1 values.
  void columns(std::span<const std::int64_t> edges, std::int64_t offset, float* low, float* high) const;
};

} // namespace ivrin
