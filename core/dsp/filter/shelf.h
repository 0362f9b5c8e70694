// Shelves of first order, symmetric: so much at one end, half of it (in dB) at the corner, nothing at the other: V.
// Välimäki and J. D. Reiss, "All about audio equalization: solutions and frontiers", Applied Sciences 6 (2016),
// section 4.1.
#pragma once

#include <cmath>
#include <numbers>

namespace ivrin {

/// A frequency as the bilinear transform sees it; under half the sample rate.
inline double bilinear(double hz, double sampleRate) {
  return std::tan(std::numbers::pi * hz / sampleRate);
}

/// y = b0·x + b1·x' − a1·y'.
struct FirstOrder {
  double b0 = 1, b1 = 0, a1 = 0;
};
/// `w`: the corner by bilinear().
inline FirstOrder lowShelf(double db, double w) {
  const double root = std::pow(10.0, db / 40), a0 = 1 + w / root;
  return {(1 + w * root) / a0, (w * root - 1) / a0, (w / root - 1) / a0};
}
inline FirstOrder highShelf(double db, double w) {
  const double root = std::pow(10.0, db / 40), a0 = 1 / root + w;
  return {(root + w) / a0, (w - root) / a0, (w - 1 / root) / a0};
}

} // namespace ivrin
