// This file holds the measures that the lines of an open row share, in pixels at 100 %, and says how dragged values
// settle.
#pragma once

#include <cmath>

namespace ivrin::app {

inline constexpr int kLine = 38;   // one line of numbers
inline constexpr int kLabel = 112; // the column of the lines' words

inline double rounded(double v, double step) {
  return std::round(v / step) * step;
}

} // namespace ivrin::app
