// The safety limiter on the mix. Its gain at a frame is a pure function of the mix from 0.5 s before to 10 ms after
// that frame, so that any range, block size and thread order gives the same bytes.
//
// The song is cut into cells of 32 frames anchored at frame 0. Each cell has the reduction it needs, from the true
// peak found by 8× oversampling (ITU-R BS.1770-5 annex 2 asks for 4×) and by the meter's own interpolator. A peak is
// reached within 4 ms, linearly in dB, and let go in two speeds (after D. Mapes-Riordan and W. M. Leach, "The design of
// a digital signal peak limiter for audio signal processing", JAES 36 (1988)): its own reduction falls within some 30
// ms, so that a lone peak leaves no hole; and what was needed over the last 0.44 s on average, held over the rests
// inside a low note, is kept, so that the gain does not ride on the wave of what stays over the ceiling. The deeper of
// the two counts. Between cells the gain is linear from the lower of the two neighbours, so it never exceeds any cell's
// own.
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
  void sumHeld();
  float between(const float* x) const;
  float gainOfCell(std::int64_t cell) const;

  double ceiling_;
  MixSource source_;
  std::int64_t ahead_, back_;  // in cells
  std::int64_t hold_, slow_;   // of the back: how long a need is held, and how many of these are averaged
  std::vector<float> fall_;    // what is left of a reduction so many cells later, until nothing is
  double skipBelow_;           // a cell whose samples stay under this cannot exceed the ceiling in between
  std::vector<float> kernels_; // 7 phases × taps
  std::vector<float> meter_;   // those of the meter by which the ceiling is promised
  // The mix and needed reductions from cell `firstCell_` on.
  std::int64_t firstCell_ = 0, cells_ = 0;
  // The first windowFrames_ of these are the samples of cells [firstCell_ − 1, firstCell_ + cells_ + 1).
  StereoBuffer window_;
  std::int64_t windowFrames_ = 0;
  std::vector<float> needDb_; // ≤ 0, one per cell
  // The same held, positive, in 1/65536 dB, summed from the first cell on: whole numbers, so that where the sum begins
  // makes no difference.
  std::vector<std::int64_t> heldSum_;
  std::int64_t sinceNeed_ = 0; // cells that needed nothing, before the next one to be summed
  bool started_ = false;
  double lastReduction_ = 0;
};

} // namespace ivrin
