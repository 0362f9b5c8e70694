// Saturation for loops and colour: y = P/a·tanh(a·x/P), as loud out as in.
//
// What the curve takes off, x − y, is computed at four times the rate and brought back, so that the linear part stays
// flat and exact, only later; at full drive the first harmonic of a tone of 5 kHz that folds back into hearing is the
// 35th, over 70 dB under it, which makes antialiasing by antiderivatives (S. Bilbao, F. Esqueda, J. Parker, V.
// Välimäki, "Antiderivative antialiasing for memoryless nonlinearities", IEEE SPL 24 (2017)), good at twice the rate
// for gentler curves, needless. The level is made up by the powers before and after: a driven loop dies exactly as an
// undriven one, however loud or soft.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

namespace ivrin {

/// The curve itself; unity small-signal gain.
class DriveCurve {
 public:
  /// `amount` 0..1; `peak`: the level it counts against.
  DriveCurve(double amount, double peak)
      : a_(6 * amount * amount + 0.5 * amount)
      , p_(peak) {}
  double at(double x) const { return p_ / a_ * std::tanh(a_ * x / p_); }
  double steepness() const { return a_; }
  double peak() const { return p_; }

 private:
  double a_, p_;
};

class Drive {
 public:
  static constexpr int kHalf = 16; // taps each side, typically: flat to 0.42 of the rate, images under −80 dB
  /// `half` 0: not oversampled, where there is no time for it.
  Drive(const DriveCurve& curve, double sampleRate, int half = kHalf);
  /// What comes out is so many frames later than what goes in.
  int latency() const { return 2 * half_; }
  void process(float* x, std::int64_t n);

 private:
  static constexpr std::int64_t kBlock = 256;
  static constexpr int kBetween = 3; // places between two frames
  void block(float* x, std::int64_t n);
  void makeUp(float* x, const float* in, std::int64_t n);

  int half_;
  float toCurve_, fromCurve_;
  double follow_, in_ = 0, out_ = 0; // of the powers
  std::array<std::vector<float>, kBetween> kernel_, taken_;
  std::vector<float> window_, sum_, scratch_;
};

} // namespace ivrin
