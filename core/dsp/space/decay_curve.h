// How long a space takes to die at each frequency. Smooth, in three numbers: real spaces differ in their lows (what
// thin walls and deep rooms do) and in their highs (surfaces and air: loss growing with frequency; H. Kuttruff, "Room
// Acoustics", 6th edition, 2016, sections 5.1 and 6.2).
#pragma once

#include <algorithm>
#include <cmath>

namespace ivrin {

struct DecayCurve {
  double seconds = 2.5; // T60 at 1 kHz
  double low = 1;       // T60 at 125 Hz against it, up to 4
  double high = 1;      // T60 at 8 kHz against it, up to 1
  double steepness = 1; // power of frequency with which the loss of the highs grows

  bool flat() const { return low == 1 && high == 1; }
  /// T60 at `hz`, over 0.
  double at(double hz) const {
    const auto lows = [](double f) { return 1 / (1 + (f / 280) * (f / 280)); };
    const double lowShare = std::min(1.1, (lows(hz) - lows(1000)) / (lows(125) - lows(1000)));
    const double highShare = (std::pow(std::max(hz, 1000.0) / 1000, steepness) - 1) / (std::pow(8, steepness) - 1);
    return seconds / (1 + (1 / low - 1) * lowShare + (1 / high - 1) * highShare);
  }
  /// T60 of the frequency that dies last.
  double slowest() const { return std::max(seconds, at(20)); }
};

} // namespace ivrin
