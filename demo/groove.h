// How the band keeps time: never on the click, always together.
#pragma once

#include <cstdint>
#include <vector>

namespace lantern {

/// A slow wander whose power falls as 1/f: how people's timing, loudness and pitch stray (H. Hennig et al., "The nature
/// and perception of fluctuations in human musical rhythms", PLoS ONE 6 (2011)). A sum of sines, evenly spread in the
/// logarithm of frequency, so that it can be asked anywhere.
class Wander {
 public:
  /// `deviation`: standard deviation. Periods from 128 down to `shortest` of what it is asked in.
  Wander(std::uint64_t seed, double deviation, double shortest = 0.5);
  double at(double x) const;

 private:
  struct Sine {
    double rate, phase;
  };
  std::vector<Sine> sines_;
  double each_;
};

/// The drummer's time, which kick, snare, hats and shaker share: seconds after the grid. 6.5 ms either way, and exact
/// where a section begins.
double lateAt(double beat);
/// The beat at which a sixteenth of a bar is played: every second one a little late, and the drummer's time.
double played(int bar, double beatInBar);
/// The same for those who play to the drummer: half of the wander is theirs.
double follows(int bar, double beatInBar);

inline constexpr double kSwing = 0.56; // of a pair of sixteenths, where the second one falls

} // namespace lantern
