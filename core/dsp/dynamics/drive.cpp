#include "dsp/dynamics/drive.h"

#include "audio/simd.h"
#include "dsp/filter/windowed_sinc.h"

#include <algorithm>

namespace ivrin {
namespace {

constexpr double kFollowSeconds = 0.05;
constexpr double kNothing = 1e-14; // power
/// Of what was lost in dB: a little less than all, so that where the powers run behind, at the edges of a sound,
/// nothing is gained from pass to pass.
constexpr double kMadeUp = 0.97;

/// x − from·tanh(to·x). The hyperbolic tangent as a quotient of polynomials within 3·10⁻⁷ (the coefficients of the
/// Eigen library's single-precision one).
IVRIN_CLONES void takenOff(float* y, const float* x, float to, float from, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    float z = to * x[i];
    z = z > 7.9f ? 7.9f : z < -7.9f ? -7.9f : z;
    const float q = z * z;
    float p = -2.76076847742355e-16f;
    p = p * q + 2.00018790482477e-13f;
    p = p * q - 8.60467152213735e-11f;
    p = p * q + 5.12229709037114e-08f;
    p = p * q + 1.48572235717979e-05f;
    p = p * q + 6.37261928875436e-04f;
    p = p * q + 4.89352455891786e-03f;
    float d = 1.19825839466702e-06f;
    d = d * q + 1.18534705686654e-04f;
    d = d * q + 2.26843463243900e-03f;
    d = d * q + 4.89352518554385e-03f;
    y[i] = x[i] - from * (z * p / d);
  }
}

} // namespace

Drive::Drive(const DriveCurve& curve, double sampleRate, int half)
    : half_(half)
    , toCurve_(static_cast<float>(curve.steepness() / curve.peak()))
    , fromCurve_(static_cast<float>(curve.peak() / curve.steepness()))
    , follow_(std::exp(-1 / (kFollowSeconds * sampleRate)))
    , window_(static_cast<std::size_t>(2 * half_ + kBlock), 0.0f)
    , scratch_(static_cast<std::size_t>(kBlock)) {
  if (half_ == 0) return;
  for (std::size_t p = 0; p < kBetween; ++p) {
    kernel_[p] = sincKernel(static_cast<double>(p + 1) / (kBetween + 1), half_);
    taken_[p].assign(window_.size(), 0.0f);
  }
  sum_.assign(static_cast<std::size_t>(kBlock), 0.0f);
}

void Drive::process(float* x, std::int64_t n) {
  for (std::int64_t at = 0; at < n; at += kBlock) block(x + at, std::min(kBlock, n - at));
}

void Drive::block(float* x, std::int64_t n) {
  float* const taken = scratch_.data();
  if (half_ == 0) {
    std::copy_n(x, n, window_.begin());
    takenOff(taken, x, toCurve_, fromCurve_, n);
    for (std::int64_t i = 0; i < n; ++i) x[i] -= taken[i];
    makeUp(x, window_.data(), n);
    return;
  }
  // Frame k of the windows is `2·half` frames before frame k of what comes in; the places between are known half of
  // that ahead.
  const int taps = 2 * half_;
  std::copy_n(x, n, window_.begin() + taps);
  for (std::size_t p = 0; p < kBetween; ++p) {
    float* known = taken_[p].data() + taps;
    convolveBlock(window_.data() + 1, kernel_[p].data(), taps, known, n);
    takenOff(known, known, toCurve_, fromCurve_, n);
  }
  // At the frames themselves nothing is between.
  takenOff(taken, window_.data(), toCurve_, fromCurve_, n);
  for (std::size_t p = 0; p < kBetween; ++p) {
    // What lies a share after its frame is before the next by the rest: the mirrored kernel.
    convolveBlock(taken_[p].data(), kernel_[kBetween - 1 - p].data(), taps, sum_.data(), n);
    for (std::int64_t i = 0; i < n; ++i) taken[i] += sum_[static_cast<std::size_t>(i)];
  }
  for (std::int64_t i = 0; i < n; ++i) x[i] = window_[static_cast<std::size_t>(i)] - 0.25f * taken[i];
  makeUp(x, window_.data(), n);
  std::copy(window_.begin() + n, window_.begin() + n + taps, window_.begin());
  for (auto& t : taken_) std::copy(t.begin() + n, t.begin() + n + taps, t.begin());
}

void Drive::makeUp(float* x, const float* in, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    in_ = follow_ * in_ + static_cast<double>(in[i]) * in[i];
    out_ = follow_ * out_ + static_cast<double>(x[i]) * x[i];
    x[i] *= static_cast<float>(std::pow((in_ + kNothing) / (out_ + kNothing), kMadeUp / 2));
  }
}

} // namespace ivrin
