// Editing a curve's points: pure functions, so that every curve on every screen is handled the same way.
#pragma once

#include "song/curve.h"

namespace ivrin {

/// What a curve may be: x in beats (or whatever its setting says), y in the setting's unit.
struct CurveLimits {
  double xMin = 0, xMax = 1, yMin = 0, yMax = 1;
};

/// A point at `x` that changes nothing: the value is the curve's own there, and a bent segment is split into two bends
/// of the same shape (a stretch of an exponential is an exponential). Returns the new point's index.
std::size_t insertPoint(Curve& curve, double x);
/// Moves point `i`; x stays between its neighbours, both inside the limits.
Curve withPointMoved(const Curve& curve, std::size_t i, double x, double y, const CurveLimits& limits);
/// The last point left makes the curve a plain number.
Curve withoutPoint(const Curve& curve, std::size_t i);
/// `bend` of the segment arriving at point `i`.
Curve withBend(const Curve& curve, std::size_t i, double bend);
/// The bend with which the segment arriving at `i` passes through (x, y), as near as −1..1 allow.
double bendThrough(const Curve& curve, std::size_t i, double x, double y);
/// A stroke of the hand, its points in the order they were drawn, made a function of x (where it went back the later
/// part counts) and reduced: no point of it lies further than `tolerance` from the lines through those that are left
/// (Ramer 1972, Douglas & Peucker 1973, with the distance taken upright), in units of y; at most `most` are left.
std::vector<CurvePoint> reducedStroke(const std::vector<CurvePoint>& drawn, double tolerance, std::size_t most);
/// The curve with a reduced stroke in place of what it had there; outside it stays what it was, up to a ramp of `ramp`
/// in x on either side. A plain number becomes the stroke.
Curve withStroke(const Curve& curve, const std::vector<CurvePoint>& stroke, double ramp);
/// Every x moved by `by`.
Curve shifted(const Curve& curve, double by);

} // namespace ivrin
