// A curve over beats: points (x, y, bend), x ascending; flat before the first and after the last point; an equal
// x is a jump, the later point counting. `bend` −1..1 shapes the segment arriving at its point.
#pragma once

#include "song/value.h"

#include <optional>
#include <vector>

namespace ivrin {

/// Progress along a segment: expm1(6·bend·u)/expm1(6·bend), or u where bend is 0. u in 0..1.
double bendProgress(double bend, double u);

struct CurvePoint {
  double x = 0; // beats from the ornament's start, unless the setting says otherwise
  double y = 0;
  double bend = 0;
  friend bool operator==(const CurvePoint&, const CurvePoint&) = default;
};

/// How a curve goes from point to point: in a straight line (bent as its points say), or so over the logarithm, as
/// frequencies are heard. What is in Hz goes by the law of its song; all else is linear.
enum class CurveLaw { linear, log };

class Curve {
 public:
  Curve()
      : Curve(0.0) {}
  explicit Curve(double constant)
      : points_{{0, constant, 0}} {}
  /// At least one point, x ascending (equal allowed).
  explicit Curve(std::vector<CurvePoint> points)
      : points_(std::move(points)) {}

  double at(double x) const;
  /// The same points by another law; `log` wants all of them over 0.
  Curve by(CurveLaw law) const;
  CurveLaw law() const { return law_; }
  bool isConstant() const;
  double highest() const;
  const std::vector<CurvePoint>& points() const { return points_; }

  /// From a number or a list of points; nothing if it is neither (types only, ranges are the table's business).
  static std::optional<Curve> from(const Value& v);
  /// A single flat point becomes a plain number.
  Value value() const;
  friend bool operator==(const Curve&, const Curve&) = default;

 private:
  std::vector<CurvePoint> points_;
  CurveLaw law_ = CurveLaw::linear;
};

} // namespace ivrin
