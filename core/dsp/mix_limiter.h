// The safety limiter on the mix. Its gain at a frame is a pure function of the mix from 0.4 s before to 10 ms after
// that frame, so that any range, block size and thread order gives the same bytes.
//
// The song is cut into cells of 32 frames anchored at frame 0. Each cell has the reduction it needs, from the true
// peak found by 8× oversampling (ITU-R BS.1770-5 annex 2 asks for 4×) and by the meter's own interpolator. The gain of
// a cell is the lowest of all needed reductions around it, each rising back linearly in dB: within 4 ms before it and
// 0.35 s after it. Between cells the gain is linear from the lower of the two neighbours, so it never exceeds any
// cell's own.
#pragma once

#include "audio/buffer.h"
#include "time/units.h"

#include <deque>
#include <functional>
#include <vector>

namespace ivrin {

/// Fills `out` with the unlimited mix for the frames beginning at `from` (silence outside the song).
using MixSource = std::function<void(Frames from, StereoSpan out)>;

class MixLimiter {
 public:
  static constexpr std::int64_t kCell = 32;

  MixLimiter(double sampleRate, double ceilingDbtp, MixSource source);
  /// The limited mix from `from` on; any order of calls gives the same samples, going forward is cheapest.
  void read(Frames from, StereoSpan out);
  /// Largest reduction applied in the last read, dB ≥ 0.
  double lastReductionDb() const { return lastReduction_; }

 private:
  void ensureCells(std::int64_t first, std::int64_t end);
  void appendBlock();
  float between(const float* x) const;
  float gainOfCell(std::int64_t cell) const;

  double ceiling_;
  MixSource source_;
  std::int64_t ahead_, back_;  // in cells
  double skipBelow_;           // a cell whose samples stay under this cannot exceed the ceiling in between
  std::vector<float> kernels_; // 7 phases × taps
  std::vector<float> meter_;   // those of the meter by which the ceiling is promised
  // The mix and needed reductions from cell `firstCell_` on.
  std::int64_t firstCell_ = 0, cells_ = 0;
  // The first windowFrames_ of these are the samples of cells [firstCell_ − 1, firstCell_ + cells_ + 1).
  StereoBuffer window_;
  std::int64_t windowFrames_ = 0;
  std::vector<float> needDb_; // ≤ 0, one per cell
  bool started_ = false;
  double lastReduction_ = 0;
};

} // namespace ivrin
