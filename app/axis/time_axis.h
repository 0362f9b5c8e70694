// The TimeAxis maps beats to pixels across the score and back. Everything on the page uses the same one.
#pragma once

#include "time/beats.h"

namespace ivrin::app {

struct TimeAxis {
  double x0 = 0;    // where the staves begin, logical pixels
  double width = 1; // of the staves
  double left = 0;  // beat at x0
  double pxPerBeat = 20;

  double xOf(Beats b) const { return x0 + (b.quarters() - left) * pxPerBeat; }
  double quartersAt(double x) const { return left + (x - x0) / pxPerBeat; }
  Beats beatAt(double x) const { return Beats::ofQuarters(quartersAt(x)); }
  double right() const { return left + width / pxPerBeat; }
};

} // namespace ivrin::app
