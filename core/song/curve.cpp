#include "song/curve.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

double bendProgress(double bend, double u) {
  if (std::abs(bend) < 1e-9) return u;
  return std::expm1(6.0 * bend * u) / std::expm1(6.0 * bend);
}

double Curve::at(double x) const {
  const auto next =
      std::upper_bound(points_.begin(), points_.end(), x, [](double v, const CurvePoint& p) { return v < p.x; });
  if (next == points_.begin()) return points_.front().y;
  if (next == points_.end()) return points_.back().y;
  const CurvePoint& a = *(next - 1);
  const double way = bendProgress(next->bend, (x - a.x) / (next->x - a.x));
  return law_ == CurveLaw::log ? a.y * std::pow(next->y / a.y, way) : a.y + (next->y - a.y) * way;
}

Curve Curve::by(CurveLaw law) const {
  Curve c = *this;
  const bool possible = std::all_of(points_.begin(), points_.end(), [](const CurvePoint& p) { return p.y > 0; });
  c.law_ = possible ? law : CurveLaw::linear;
  return c;
}

bool Curve::isConstant() const {
  return std::all_of(points_.begin(), points_.end(), [&](const CurvePoint& p) { return p.y == points_.front().y; });
}

double Curve::highest() const {
  return std::max_element(points_.begin(), points_.end(), [](auto& a, auto& b) { return a.y < b.y; })->y;
}

std::optional<Curve> Curve::from(const Value& v) {
  if (const auto* n = v.number()) return Curve(*n);
  const auto* list = v.list();
  if (!list || list->empty()) return std::nullopt;
  std::vector<CurvePoint> points;
  for (const Value& item : *list) {
    const auto* p = item.list();
    if (!p || p->size() < 2 || p->size() > 3) return std::nullopt;
    CurvePoint point;
    double* const fields[] = {&point.x, &point.y, &point.bend};
    for (std::size_t i = 0; i < p->size(); ++i) {
      const auto* n = (*p)[i].number();
      if (!n) return std::nullopt;
      *fields[i] = *n;
    }
    points.push_back(point);
  }
  return Curve(std::move(points));
}

Value Curve::value() const {
  if (points_.size() == 1) return points_.front().y;
  List l;
  for (const CurvePoint& p : points_) {
    List item{Value(p.x), Value(p.y)};
    if (p.bend != 0) item.emplace_back(p.bend);
    l.emplace_back(std::move(item));
  }
  return Value(std::move(l));
}

} // namespace ivrin
