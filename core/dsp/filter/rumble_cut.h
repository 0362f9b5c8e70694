// Takes out what no ear hears and every loudspeaker moves to: a high-pass whose stop band ends at 20 Hz, 45 dB down
// (Chebyshev's second kind, order eight: T. W. Parks and C. S. Burrus, "Digital Filter Design" (1987), section 7.2.5),
// mixed in by a weight of its own for each frame.
//
// It can be begun anywhere: two filters take turns, each begun anew every second chunk and heard only after it has been
// fed for a whole one, so that what comes out depends on two chunks and no more, to the bit.
#pragma once

#include "audio/buffer.h"

#include <array>

namespace ivrin {

class RumbleCut {
 public:
  static constexpr double kStopHz = 20, kStopDb = 45;
  explicit RumbleCut(double sampleRate);
  /// Where it has to be fed from for frame `at` to be right.
  std::int64_t neededFrom(std::int64_t at) const { return std::max<std::int64_t>(0, at / chunk_ - 1) * chunk_; }
  /// Goes on at a frame that neededFrom() said.
  void goTo(std::int64_t at) { at_ = at; }
  std::int64_t at() const { return at_; }
  /// Nothing of what it was fed rings in it: of silence it makes silence, and goTo() may take the place of process().
  bool rests() const;
  /// weight[i] 0..1: how much of it is cut; 0 is bit-transparent.
  void process(StereoSpan io, const float* weight);

 private:
  static constexpr int kSections = 4, kLanes = 4; // left and right of either filter
  struct Section {
    double b0, b1, b2, a1, a2;
    alignas(32) std::array<double, kLanes> s1{}, s2{};
  };
  void reset(std::size_t which);
  std::int64_t chunk_, turn_, at_ = 0;
  std::array<Section, kSections> sections_{};
};

} // namespace ivrin
