#include "song/curve_edit.h"

#include <algorithm>
#include <cmath>
#include <utility>

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
  curve = Curve(std::move(points)).by(curve.law());
  return at;
}

Curve withPointMoved(const Curve& curve, std::size_t i, double x, double y, const CurveLimits& limits) {
  std::vector<CurvePoint> points = curve.points();
  if (i >= points.size()) return curve;
  const double left = i > 0 ? points[i - 1].x : limits.xMin,
               right = i + 1 < points.size() ? points[i + 1].x : limits.xMax;
  points[i].x = std::clamp(x, std::min(left, right), std::max(left, right));
  points[i].y = std::clamp(y, limits.yMin, limits.yMax);
  return Curve(std::move(points)).by(curve.law());
}

Curve withoutPoint(const Curve& curve, std::size_t i) {
  std::vector<CurvePoint> points = curve.points();
  if (i >= points.size() || points.size() == 1) return curve;
  points.erase(points.begin() + static_cast<std::ptrdiff_t>(i));
  points.front().bend = 0; // nothing arrives at the first point
  return Curve(std::move(points)).by(curve.law());
}

Curve withBend(const Curve& curve, std::size_t i, double bend) {
  std::vector<CurvePoint> points = curve.points();
  if (i == 0 || i >= points.size()) return curve;
  points[i].bend = std::clamp(bend, -1.0, 1.0);
  return Curve(std::move(points)).by(curve.law());
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

namespace {

void keepFarthest(const std::vector<CurvePoint>& p, std::size_t a, std::size_t b, double tolerance,
                  std::vector<bool>& kept) {
  if (b <= a + 1) return;
  std::size_t farthest = a;
  double most = tolerance;
  for (std::size_t i = a + 1; i < b; ++i) {
    const double u = (p[i].x - p[a].x) / (p[b].x - p[a].x);
    const double off = std::abs(p[i].y - (p[a].y + u * (p[b].y - p[a].y)));
    if (off > most) {
      most = off;
      farthest = i;
    }
  }
  if (farthest == a) return;
  kept[farthest] = true;
  keepFarthest(p, a, farthest, tolerance, kept);
  keepFarthest(p, farthest, b, tolerance, kept);
}

} // namespace

std::vector<CurvePoint> reducedStroke(const std::vector<CurvePoint>& drawn, double tolerance, std::size_t most) {
  std::vector<CurvePoint> line;
  double from = 0;
  for (const CurvePoint& p : drawn) {
    // What lies between the pen's last place and this one was drawn over.
    const double low = line.empty() ? p.x : std::min(from, p.x), high = line.empty() ? p.x : std::max(from, p.x);
    std::erase_if(line, [&](const CurvePoint& q) { return q.x == p.x || (q.x > low && q.x < high); });
    const auto at =
        std::lower_bound(line.begin(), line.end(), p.x, [](const CurvePoint& q, double x) { return q.x < x; });
    line.insert(at, {p.x, p.y, 0});
    from = p.x;
  }
  if (line.size() < 3) return line;
  for (;; tolerance *= 1.3) {
    std::vector<bool> kept(line.size());
    kept.front() = kept.back() = true;
    keepFarthest(line, 0, line.size() - 1, tolerance, kept);
    std::vector<CurvePoint> out;
    for (std::size_t i = 0; i < line.size(); ++i)
      if (kept[i]) out.push_back(line[i]);
    if (out.size() <= std::max<std::size_t>(most, 2)) return out;
  }
}

Curve withStroke(const Curve& curve, const std::vector<CurvePoint>& stroke, double ramp) {
  if (stroke.size() < 2) return curve;
  if (curve.points().size() == 1) return Curve(stroke).by(curve.law());
  const double from = stroke.front().x, to = stroke.back().x;
  Curve old = curve;
  const auto& p = old.points();
  if (p.front().x < from - ramp) insertPoint(old, from - ramp);
  if (p.back().x > to + ramp) insertPoint(old, to + ramp);
  std::vector<CurvePoint> out;
  for (const CurvePoint& q : old.points())
    if (q.x < from) out.push_back(q);
  out.insert(out.end(), stroke.begin(), stroke.end());
  bool first = true;
  for (const CurvePoint& q : old.points())
    if (q.x > to) {
      out.push_back(q);
      if (std::exchange(first, false)) out.back().bend = 0; // the line to it is a new one
    }
  return Curve(std::move(out)).by(curve.law());
}

Curve shifted(const Curve& curve, double by) {
  std::vector<CurvePoint> points = curve.points();
  for (CurvePoint& p : points) p.x += by;
  return Curve(std::move(points)).by(curve.law());
}

} // namespace ivrin
