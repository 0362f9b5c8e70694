#include "test_support/acoustics.h"

#include <cmath>
#include <numbers>

namespace ivrin::test {

double decayTime(const std::vector<double>& h, double rate) {
  std::vector<double> left(h.size() + 1, 0.0);
  for (std::size_t i = h.size(); i-- > 0;) left[i] = left[i + 1] + h[i] * h[i];
  double n = 0, x = 0, y = 0, xx = 0, xy = 0;
  for (std::size_t i = 0; i < h.size(); i += 4) {
    const double db = 10 * std::log10(left[i] / left[0] + 1e-30), t = static_cast<double>(i) / rate;
    if (db < -35) break;
    if (db > -5) continue;
    n += 1;
    x += t;
    y += db;
    xx += t * t;
    xy += t * db;
  }
  return -60 * (n * xx - x * x) / (n * xy - x * y);
}

std::vector<double> bandOf(const float* in, std::int64_t n, double hz, double octaves, double rate) {
  std::vector<double> x(in, in + n);
  const double w = 2 * std::numbers::pi * hz / rate;
  const double q = 0.8 / (2 * std::sinh(std::numbers::ln2 / 2 * octaves)); // each wider, both together as asked
  const double alpha = std::sin(w) / (2 * q), a0 = 1 + alpha;
  for (int pass = 0; pass < 2; ++pass) {
    double s1 = 0, s2 = 0;
    for (double& v : x) {
      const double y = alpha / a0 * v + s1;
      s1 = 2 * std::cos(w) / a0 * y + s2;
      s2 = -alpha / a0 * v - (1 - alpha) / a0 * y;
      v = y;
    }
  }
  return x;
}

double echoDensity(const float* x, std::int64_t at, double rate) {
  const auto n = static_cast<std::int64_t>(0.02 * rate);
  double power = 0;
  for (std::int64_t i = 0; i < n; ++i) power += static_cast<double>(x[at + i]) * x[at + i];
  const double deviation = std::sqrt(power / static_cast<double>(n));
  std::int64_t outside = 0;
  for (std::int64_t i = 0; i < n; ++i) outside += std::abs(x[at + i]) > deviation ? 1 : 0;
  return static_cast<double>(outside) / static_cast<double>(n) / std::erfc(1 / std::numbers::sqrt2);
}

} // namespace ivrin::test
