#include "dsp/filter/windowed_sinc.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {

std::vector<float> sincKernel(double fraction, int half, double beta) {
  const int taps = 2 * half;
  std::vector<double> c(static_cast<std::size_t>(taps));
  double sum = 0;
  for (int k = 0; k < taps; ++k) {
    const double t = (k - half + 1) - fraction; // distance from the reading position
    const double u = t / half;
    const double window =
        std::abs(u) >= 1 ? 0 : std::cyl_bessel_i(0, beta * std::sqrt(1 - u * u)) / std::cyl_bessel_i(0, beta);
    const double s = std::abs(t) < 1e-12 ? 1 : std::sin(std::numbers::pi * t) / (std::numbers::pi * t);
    c[static_cast<std::size_t>(k)] = s * window;
    sum += s * window;
  }
  std::vector<float> out(c.size());
  std::transform(c.begin(), c.end(), out.begin(), [&](double v) { return static_cast<float>(v / sum); });
  return out;
}

IVRIN_CLONES void convolveBlock(const float* in, const float* c, int taps, float* out, std::int64_t frames) {
  // Sixteen outputs at a time stay in registers; the order of the sum over taps is the same for every sample.
  std::int64_t i = 0;
  for (; i + 16 <= frames; i += 16) {
    float acc[16] = {};
    for (int k = 0; k < taps; ++k) {
      const float g = c[k];
      const float* x = in + i + k;
      for (int j = 0; j < 16; ++j) acc[j] += g * x[j];
    }
    for (int j = 0; j < 16; ++j) out[i + j] = acc[j];
  }
  for (; i < frames; ++i) {
    float acc = 0;
    for (int k = 0; k < taps; ++k) acc += c[k] * in[i + k];
    out[i] = acc;
  }
}

SincTable::SincTable(int half, int phases, double beta)
    : half_(half)
    , phases_(phases) {
  table_.reserve(static_cast<std::size_t>((phases + 1) * 2 * half));
  for (int p = 0; p <= phases; ++p) {
    const auto c = sincKernel(static_cast<double>(p) / phases, half, beta);
    table_.insert(table_.end(), c.begin(), c.end());
  }
}

float SincTable::read(const float* x, double fraction) const {
  const double position = fraction * phases_;
  const int row = std::min(static_cast<int>(position), phases_ - 1);
  const auto mix = static_cast<float>(position - row);
  const int taps = 2 * half_;
  const float* a = table_.data() + static_cast<std::size_t>(row * taps);
  const float* b = a + taps;
  const float* in = x - half_ + 1;
  float sa = 0, sb = 0;
  for (int k = 0; k < taps; ++k) {
    sa += a[k] * in[k];
    sb += b[k] * in[k];
  }
  return sa + (sb - sa) * mix;
}

} // namespace ivrin
