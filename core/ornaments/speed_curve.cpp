#include "ornaments/speed_curve.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr std::int64_t kRun = 32;
constexpr double kStraight = 1e-4; // below it the law is a straight line plus one term of its series

double progress(double c, double t) {
  return std::abs(c) < kStraight ? t + c * (t * t - t) / 2 : std::expm1(c * t) / std::expm1(c);
}

double progressIntegral(double c, double t) {
  return std::abs(c) < kStraight ? t * t / 2 + c * (t * t * t / 6 - t * t / 4)
                                 : (std::expm1(c * t) / c - t) / std::expm1(c);
}

/// A stretch of frames inside one segment; t is its fraction of the segment at the first frame.
struct Run {
  double n, before, width, y0, rise, c, t, dt;
  double scale, e; // 1/expm1(c), exp(c·t)
};

IVRIN_CLONES void straightRun(const Run& r, std::int64_t frames, double* position, double* speed) {
  for (std::int64_t i = 0; i < frames; ++i) {
    const double t = r.t + r.dt * static_cast<double>(static_cast<int>(i));
    speed[i] = r.y0 + r.rise * (t + r.c * (t * t - t) / 2);
    position[i] = r.n * (r.before + r.width * (r.y0 * t + r.rise * (t * t / 2 + r.c * (t * t * t / 6 - t * t / 4))));
  }
}

/// powers[i] = exp(c·dt·i).
IVRIN_CLONES void bentRun(const Run& r, const double* powers, std::int64_t frames, double* position, double* speed) {
  const double share = 1 / r.c;
  for (std::int64_t i = 0; i < frames; ++i) {
    const double t = r.t + r.dt * static_cast<double>(static_cast<int>(i)), grown = (r.e * powers[i] - 1) * r.scale;
    speed[i] = r.y0 + r.rise * grown;
    position[i] = r.n * (r.before + r.width * (r.y0 * t + r.rise * (grown * share - t * r.scale)));
  }
}

} // namespace

SpeedCurve::SpeedCurve(const Curve& curve) {
  const auto& points = curve.points();
  const auto add = [&](double x0, double x1, double y0, double y1, double bend) {
    if (x1 <= x0) return;
    segments_.push_back({x0, x1 - x0, y0, y1 - y0, 6 * bend, total_});
    total_ += (x1 - x0) * (y0 + (y1 - y0) * progressIntegral(6 * bend, 1));
  };
  add(0, std::min(1.0, points.front().x), points.front().y, points.front().y, 0);
  for (std::size_t i = 1; i < points.size(); ++i) {
    const CurvePoint &a = points[i - 1], &b = points[i];
    const double from = std::max(0.0, a.x), to = std::min(1.0, b.x);
    if (to <= from) continue;
    if (from == a.x && to == b.x) {
      add(a.x, b.x, a.y, b.y, b.bend);
      continue;
    }
    // Only part of it lies inside: a stretch of an exponential is an exponential, with a bend by its share.
    const double share = (to - from) / (b.x - a.x);
    add(from, to, curve.at(from), to == b.x ? b.y : curve.at(to), b.bend * share);
  }
  add(std::max(0.0, points.back().x), 1, points.back().y, points.back().y, 0);
  // Extremes of the position lie at the ends of segments and where the speed passes zero; looking at 64 places of each
  // is near enough for what they are used for: how far a reader must reach, with room to spare.
  for (const Segment& s : segments_) {
    fastest_ = std::max({fastest_, std::abs(s.y0), std::abs(s.y0 + s.rise)});
    for (int k = 0; k <= 64; ++k) {
      const double p = position(s.x0 + s.width * k / 64);
      lowest_ = std::min(lowest_, p);
      highest_ = std::max(highest_, p);
    }
  }
}

const SpeedCurve::Segment& SpeedCurve::segmentAt(double u) const {
  const auto next =
      std::upper_bound(segments_.begin(), segments_.end(), u, [](double v, const Segment& s) { return v < s.x0; });
  return next == segments_.begin() ? segments_.front() : *(next - 1);
}

double SpeedCurve::speed(double u) const {
  u = std::clamp(u, 0.0, 1.0);
  const Segment& s = segmentAt(u);
  return s.y0 + s.rise * progress(s.c, (u - s.x0) / s.width);
}

double SpeedCurve::position(double u) const {
  u = std::clamp(u, 0.0, 1.0);
  const Segment& s = segmentAt(u);
  const double t = (u - s.x0) / s.width;
  return s.before + s.width * (s.y0 * t + s.rise * progressIntegral(s.c, t));
}

void SpeedCurve::fill(std::int64_t length, std::int64_t from, std::int64_t count, double* position,
                      double* speed) const {
  const auto n = static_cast<double>(length);
  const Segment* powersOf = nullptr;
  double powers[kRun] = {};
  std::int64_t k = 0;
  while (k < count) {
    const std::int64_t frame = from + k;
    const double u = static_cast<double>(frame) / n;
    if (u < 0 || u >= 1) { // flat beyond the stretch
      const double edge = u < 0 ? 0 : 1, v = this->speed(edge);
      position[k] = n * (this->position(edge) + (u - edge) * v);
      speed[k] = v;
      ++k;
      continue;
    }
    const Segment& s = segmentAt(u);
    // The run: to the next multiple of kRun, inside the segment.
    const std::int64_t mark = (frame / kRun + 1) * kRun;
    const auto segmentEnd = static_cast<std::int64_t>(std::ceil((s.x0 + s.width) * n - 1e-9));
    const std::int64_t end =
        std::min({std::max(frame + 1, std::min(mark, segmentEnd)), from + count, std::max(length, frame + 1)});
    Run r{n, s.before, s.width, s.y0, s.rise, s.c, (u - s.x0) / s.width, 1 / (n * s.width), 0, 0};
    if (std::abs(s.c) < kStraight) {
      straightRun(r, end - frame, position + k, speed + k);
    } else {
      r.scale = 1 / std::expm1(s.c);
      r.e = std::exp(s.c * r.t);
      if (powersOf != &s) {
        powersOf = &s;
        for (std::int64_t i = 0; i < kRun; ++i) powers[i] = std::exp(s.c * r.dt * static_cast<double>(i));
      }
      bentRun(r, powers, end - frame, position + k, speed + k);
    }
    k += end - frame;
  }
}

} // namespace ivrin
