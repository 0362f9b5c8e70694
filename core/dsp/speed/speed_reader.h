// Reading a sound at a speed that changes: band-limited interpolation by a Kaiser-windowed sinc of 32 taps on each
// side, widened as the speed rises over 1 so that nothing folds back (J. O. Smith and P. Gossett, "A flexible
// sampling-rate conversion method", ICASSP 1984). At normal speed and on a whole frame it is bit-transparent.
#pragma once

#include "audio/buffer.h"

#include <functional>
#include <vector>

namespace ivrin {

class SpeedReader {
 public:
  static constexpr int kHalf = 32;      // taps on each side up to normal speed
  static constexpr double kFastest = 4; // largest magnitude of the speed that people may ask for
  static constexpr double kMost = 16;   // ... that is read
  static constexpr int kReach =
      4 * kHalf; // frames around a position that its kernel reaches at four times normal speed
  /// Writes source frames from..from+frames−1, silence where there are none. `from` may be negative.
  using Feed = std::function<void(std::int64_t from, StereoSpan out)>;

  explicit SpeedReader(Feed feed);
  /// out[i] is the source at positions[i] (source frames), moving at speeds[i]; both have out.frames entries,
  /// and from one to the next a position moves by at most kFastest, or by its speed where that is more.
  void read(const double* positions, const double* speeds, StereoSpan out);

 private:
  Feed feed_;
  StereoBuffer window_;
};

} // namespace ivrin
