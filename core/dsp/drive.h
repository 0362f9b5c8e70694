// Saturation for loops and colour.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace ivrin {

/// Saturation with unity small-signal gain: y = P/a·tanh(a·x/P). What it takes off, x − y, is antialiased by its
/// antiderivative (J. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing of nonlinear waveshaping using
/// continuous-time convolution", DAFx 2016), so that the linear part stays flat and undelayed.
class Drive {
 public:
  Drive(double amount, double peak)
      : a_(6 * amount * amount + 0.5 * amount)
      , p_(peak) {}
  /// The curve itself.
  double shape(double x) const { return p_ / a_ * std::tanh(a_ * x / p_); }
  void process(float* x, std::int64_t n) {
    for (std::int64_t i = 0; i < n; ++i) {
      const double now = x[i], step = now - last_;
      const double f = antiderivative(now);
      double taken = 0;
      if (std::abs(step) > 1e-5 * p_) {
        taken = (f - lastF_) / step;
      } else {
        const double mid = 0.5 * (now + last_);
        taken = mid - shape(mid);
      }
      last_ = now;
      lastF_ = f;
      x[i] = static_cast<float>(now - taken);
    }
  }

 private:
  double antiderivative(double x) const {
    const double z = std::abs(a_ * x / p_);
    const double logCosh = z + std::log1p(std::exp(-2 * z)) - std::numbers::ln2;
    return 0.5 * x * x - p_ * p_ / (a_ * a_) * logCosh;
  }
  double a_, p_, last_ = 0, lastF_ = 0;
};

} // namespace ivrin
