// How a cell comes in before its border and goes out before the next one, so that what begins on a border is left
// alone.
#pragma once

#include "dsp/dynamics/edges.h"

#include <algorithm>

namespace ivrin {

/// Frames before the first cell, which begins at song frame `begin`, in which it comes in: not across the song's begin.
inline std::int64_t entryBefore(Frames begin, std::int64_t most) {
  return begin.count >= 0 ? std::min(most, begin.count) : most;
}

/// Cells that touch hand over at equal power; everything else comes and goes by itself.
struct HandOver {
  std::int64_t in = 0, out = 0;         // frames: before the cell's begin, before its end
  bool joinIn = false, joinOut = false; // there is another cell on that side
  /// The gain `f` frames after the begin (before it: negative) of a cell that sounds `open` frames.
  double at(std::int64_t f, std::int64_t open) const {
    if (f < 0) {
      const double u = static_cast<double>(f + in) / static_cast<double>(in);
      return joinIn ? equalPower(u).coming : raisedCosine(u);
    }
    const std::int64_t rest = open - f;
    if (rest >= out) return 1;
    const double u = 1 - static_cast<double>(rest) / static_cast<double>(out);
    return joinOut ? equalPower(u).leaving : 1 - raisedCosine(u);
  }
};

} // namespace ivrin
