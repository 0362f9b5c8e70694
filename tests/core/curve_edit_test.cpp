// Curves drawn by hand: strokes reduced to few points.
#include "song/curve_edit.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;

TEST_CASE("a stroke of the hand is reduced to few points near it all along", "[curve]") {
  std::vector<CurvePoint> pen;
  for (int i = 0; i <= 400; ++i) pen.push_back({i / 100.0, std::sin(i / 100.0 * 2), 0});
  const auto few = reducedStroke(pen, 0.03, 64);
  CHECK(few.size() < 20);
  CHECK(few.size() > 6);
  const Curve line(few);
  double off = 0;
  for (const CurvePoint& p : pen) off = std::max(off, std::abs(line.at(p.x) - p.y));
  CHECK(off <= 0.03 + 1e-12);
  // Never more than were asked for, the ends among them.
  const auto fewer = reducedStroke(pen, 0.0001, 8);
  CHECK(fewer.size() <= 8);
  CHECK(fewer.front().x == 0);
  CHECK(fewer.back().x == 4);
  // A straight line is its two ends. Where the pen goes back, what it drew last counts.
  CHECK(reducedStroke({{0, 0, 0}, {1, 1, 0}, {2, 2, 0}, {3, 3, 0}}, 0.01, 64).size() == 2);
  const Curve after(reducedStroke({{0, 0, 0}, {1, 5, 0}, {2, 0, 0}, {1.5, 3, 0}, {0.5, 3, 0}}, 0.01, 64));
  CHECK(after.at(1) == Approx(3));
  CHECK(after.at(0) == 0);
  CHECK(after.at(2) == 0);
}

TEST_CASE("a stroke stands in place of what it covers and leaves the rest as it was", "[curve]") {
  const Curve old(std::vector<CurvePoint>{{0, 0, 0}, {4, 8, 0.5}, {8, 0, 0}});
  const Curve now = withStroke(old, {{2, 5, 0}, {5, 1, 0}}, 0.125);
  for (const double x : {0.0, 1.0, 1.8, 5.2, 6.0, 8.0}) CHECK(now.at(x) == Approx(old.at(x)).margin(1e-9));
  for (const double x : {2.0, 3.0, 5.0}) CHECK(now.at(x) == Approx(5 - (x - 2) * 4 / 3));
  for (std::size_t i = 1; i < now.points().size(); ++i) CHECK(now.points()[i].x > now.points()[i - 1].x);
  CHECK(withStroke(Curve(3.0), {{1, 2, 0}, {2, 4, 0}}, 0.1).points().size() == 2);
  CHECK(withStroke(old, {{1, 2, 0}}, 0.1) == old);
}
