#include "song/curve_edit.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

std::size_t insertPoint(Curve& curve, double x) {
  std::vector<CurvePoint> points = curve.points();
  const auto next =
      std::upper_bound(points.begin(), points.end(), x, [](double v, const CurvePoint& p) { return v < p.x; });
  CurvePoint made{x, curve.at(x), 0};
  if (next != points.begin() && next != points.end()) {
    const double u = (x - (next - 1)->x) / (next->x - (next - 1)->x);
    made.bend = next->bend * u;
    next->bend *= 1 - u;
  }
  const auto at = static_cast<std::size_t>(next - points.begin());
  points.insert(next, made);
  curve = Curve(std::move(points));
  return at;
}

Curve withPointMoved(const Curve& curve, std::size_t i, double x, double y, const CurveLimits& limits) {
  std::vector<CurvePoint> points = curve.points();
  if (i >= points.size()) return curve;
  const double left = i > 0 ? points[i - 1].x : limits.xMin,
               right = i + 1 < points.size() ? points[i + 1].x : limits.xMax;
  points[i].x = std::clamp(x, std::min(left, right), std::max(left, right));
  points[i].y = std::clamp(y, limits.yMin, limits.yMax);
  return Curve(std::move(points));
}

Curve withoutPoint(const Curve& curve, std::size_t i) {
  std::vector<CurvePoint> points = curve.points();
  if (i >= points.size() || points.size() == 1) return curve;
  points.erase(points.begin() + static_cast<std::ptrdiff_t>(i));
  points.front().bend = 0; // nothing arrives at the first point
  return Curve(std::move(points));
}

Curve withBend(const Curve& curve, std::size_t i, double bend) {
  std::vector<CurvePoint> points = curve.points();
  if (i == 0 || i >= points.size()) return curve;
  points[i].bend = std::clamp(bend, -1.0, 1.0);
  return Curve(std::move(points));
}

double bendThrough(const Curve& curve, std::size_t i, double x, double y) {
  const auto& points = curve.points();
  if (i == 0 || i >= points.size()) return 0;
  const CurvePoint &a = points[i - 1], &b = points[i];
  if (b.x <= a.x || b.y == a.y) return b.bend;
  const double u = std::clamp((x - a.x) / (b.x - a.x), 0.001, 0.999), wanted = (y - a.y) / (b.y - a.y);
  // Progress at a fixed u falls steadily as the bend rises.
  double low = -1, high = 1;
  for (int n = 0; n < 48; ++n) {
    const double mid = (low + high) / 2;
    (bendProgress(mid, u) > wanted ? low : high) = mid;
  }
  const double bend = (low + high) / 2;
  return std::abs(bend) < 0.004 ? 0 : bend;
}

Curve shifted(const Curve& curve, double by) {
  std::vector<CurvePoint> points = curve.points();
  for (CurvePoint& p : points) p.x += by;
  return Curve(std::move(points));
}

} // namespace ivrin
