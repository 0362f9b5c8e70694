#include "test_support/acoustics.h"

#include "dsp/measure/fourier.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ivrin::test {

double decayTime(const std::vector<double>& h, double rate) {
  std::vector<double> left(h.size() + 1, 0.0);
  for (std::size_t i = h.size(); i-- > 0;) left[i] = left[i + 1] + h[i] * h[i];
  double n = 0, x = 0, y = 0, xx = 0, xy = 0;
  const double upper = left[0] * std::pow(10, -0.5), lower = left[0] * std::pow(10, -3.5);
  for (std::size_t i = 0; i < h.size() && left[i] >= lower; i += 4) {
    if (left[i] > upper) continue;
    const double db = 10 * std::log10(left[i] / left[0] + 1e-30), t = static_cast<double>(i) / rate;
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
  const double b = alpha / a0, fed = 2 * std::cos(w) / a0, back = (1 - alpha) / a0;
  double s1 = 0, s2 = 0, t1 = 0, t2 = 0; // of the first and of the second
  for (double& v : x) {
    const double y = b * v + s1;
    s1 = fed * y + s2;
    s2 = -b * v - back * y;
    const double z = b * y + t1;
    t1 = fed * z + t2;
    t2 = -b * y - back * z;
    v = z;
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

namespace {

/// `n` samples and silence up to the next power of two that holds `room`, as a spectrum.
struct Transformed {
  Transformed(const float* x, std::int64_t n, std::int64_t room) {
    std::int64_t size = 1024;
    while (size < room) size *= 2;
    fourier = RealFourier::ofSize(size);
    samples = fourier->samples();
    bins = fourier->spectrum();
    std::fill_n(samples.get(), size, 0.0f);
    std::copy_n(x, n, samples.get());
    fourier->forward(samples.get(), bins.get());
  }
  double size() const { return static_cast<double>(fourier->size()); }
  float* numbers() { return reinterpret_cast<float*>(bins.get()); } // real, imaginary, real …
  std::shared_ptr<const RealFourier> fourier;
  RealFourier::Samples samples;
  RealFourier::Bins bins;
};

/// Power of every bin.
std::vector<double> powers(const float* x, std::int64_t n, double rate, double& binHz) {
  Transformed t(x, n, n);
  const float* b = t.numbers();
  std::vector<double> out;
  for (std::int64_t k = 0; k < t.fourier->bins(); ++k)
    out.push_back(static_cast<double>(b[2 * k]) * b[2 * k] + static_cast<double>(b[2 * k + 1]) * b[2 * k + 1]);
  binHz = rate / t.size();
  return out;
}

} // namespace

std::vector<double> exactBand(const float* x, std::int64_t n, double hz, double octaves, double rate) {
  Transformed t(x, n, n + static_cast<std::int64_t>(rate)); // what rings before the first frame comes at the end
  float* b = t.numbers();
  for (std::int64_t k = 0; k < t.fourier->bins(); ++k) {
    const double off = std::abs(std::log2(std::max(1e-3, static_cast<double>(k) * rate / t.size()) / hz));
    const double edge = std::clamp((off - octaves / 2) * 12 + 0.5, 0.0, 1.0);
    const auto g = static_cast<float>((0.5 + 0.5 * std::cos(std::numbers::pi * edge)) / t.size());
    b[2 * k] *= g;
    b[2 * k + 1] *= g;
  }
  t.fourier->inverse(t.bins.get(), t.samples.get());
  return {t.samples.get(), t.samples.get() + n};
}

double spectralFlatness(const float* x, std::int64_t n, double rate) {
  double binHz = 0, logs = 0, sum = 0, count = 0;
  const auto p = powers(x, n, rate, binHz);
  for (std::size_t k = 0; k < p.size(); ++k) {
    const double hz = static_cast<double>(k) * binHz;
    if (hz < 100 || hz > 16000) continue;
    logs += std::log(p[k] + 1e-30);
    sum += p[k];
    count += 1;
  }
  return std::exp(logs / count) / (sum / count);
}

std::vector<double> thirdOctaves(const float* x, std::int64_t n, const std::vector<double>& centres, double rate) {
  double binHz = 0;
  const auto p = powers(x, n, rate, binHz);
  std::vector<double> out;
  for (const double hz : centres) {
    double sum = 0;
    for (auto k = static_cast<std::size_t>(hz * std::exp2(-1.0 / 6) / binHz) + 1;
         k < p.size() && static_cast<double>(k) * binHz < hz * std::exp2(1.0 / 6); ++k)
      sum += p[k];
    out.push_back(sum);
  }
  return out;
}

double spectralCentroid(const float* x, std::int64_t n, double rate) {
  double binHz = 0, above = 0, all = 0;
  const auto p = powers(x, n, rate, binHz);
  for (std::size_t k = 0; k < p.size(); ++k) {
    above += std::sqrt(p[k]) * static_cast<double>(k) * binHz;
    all += std::sqrt(p[k]);
  }
  return above / all;
}

double pitchMovement(const float* x, std::int64_t n, double hz, double rate) {
  // Turned down to 0 Hz and averaged over 10 ms: the phase from piece to piece is the tone's deviation.
  const auto piece = static_cast<std::int64_t>(0.01 * rate);
  std::complex<double> last = 0;
  double sum = 0, weights = 0;
  for (std::int64_t at = 0; at + piece <= n; at += piece) {
    std::complex<double> now = 0;
    for (std::int64_t i = at; i < at + piece; ++i)
      now += static_cast<double>(x[i]) *
             std::polar(1.0, -2 * std::numbers::pi * std::fmod(hz * static_cast<double>(i) / rate, 1.0));
    if (at > 0) {
      const double turned = std::arg(now * std::conj(last)) / (2 * std::numbers::pi) / 0.01;
      const double cents = 1200 * std::log2(std::max(1.0, hz + turned) / hz), weight = std::abs(now) * std::abs(last);
      sum += weight * cents * cents;
      weights += weight;
    }
    last = now;
  }
  return std::sqrt(sum / weights);
}

FittedTones fitTones(const float* x, std::int64_t frames, const std::vector<double>& hz, double rate) {
  const std::size_t m = 2 * hz.size();
  std::vector<double> matrix(m * (m + 1)), basis(m);
  const auto at = [&](std::size_t r, std::size_t c) -> double& { return matrix[r * (m + 1) + c]; };
  const auto basisAt = [&](std::int64_t i) {
    for (std::size_t k = 0; k < hz.size(); ++k) {
      const double w = 2 * std::numbers::pi * hz[k] / rate * static_cast<double>(i);
      basis[2 * k] = std::cos(w);
      basis[2 * k + 1] = std::sin(w);
    }
  };
  for (std::int64_t i = 0; i < frames; ++i) {
    basisAt(i);
    for (std::size_t r = 0; r < m; ++r) {
      for (std::size_t c = 0; c < m; ++c) at(r, c) += basis[r] * basis[c];
      at(r, m) += basis[r] * static_cast<double>(x[i]);
    }
  }
  for (std::size_t c = 0; c < m; ++c) // its diagonal is the largest: no pivots
    for (std::size_t r = 0; r < m; ++r) {
      if (r == c) continue;
      const double f = at(r, c) / at(c, c);
      for (std::size_t k = c; k <= m; ++k) at(r, k) -= f * at(c, k);
    }
  double rest = 0, all = 0;
  for (std::int64_t i = 0; i < frames; ++i) {
    basisAt(i);
    double y = 0;
    for (std::size_t c = 0; c < m; ++c) y += at(c, m) / at(c, c) * basis[c];
    rest += std::pow(static_cast<double>(x[i]) - y, 2);
    all += y * y;
  }
  FittedTones fit{{}, 10 * std::log10(rest / all)};
  for (std::size_t c = 0; c < m; c += 2)
    fit.levels.push_back(std::hypot(at(c, m) / at(c, c), at(c + 1, m) / at(c + 1, c + 1)));
  return fit;
}

} // namespace ivrin::test
