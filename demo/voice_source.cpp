#include "voice_source.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstddef>
#include <numbers>

namespace lantern {
namespace {

constexpr double kHighest = 17000; // Hz

/// One period of the model, 0..1; what 1995's equations (1) to (3) make of Rd.
struct Pulse {
  double peak, closing, back; // tp, te, ta, in periods
  double growth = 0, decay = 0, scale = 0;

  explicit Pulse(double rd) {
    const double ra = (-1 + 4.8 * rd) / 100, rk = (22.4 + 11.8 * rd) / 100;
    const double rg = rk / (4 * (0.11 * rd / (0.5 + 1.2 * rk) - ra));
    peak = 1 / (2 * rg);
    closing = std::min(peak * (1 + rk), 0.97);
    back = std::clamp(ra, 0.002, 0.6 * (1 - closing));
    decay = 1 / back;
    for (int i = 0; i < 50; ++i) decay = (1 - std::exp(-decay * (1 - closing))) / back;
    // No flow is left over: the growth is where both areas are the same.
    double low = -20, high = 60;
    for (int i = 0; i < 80; ++i) {
      growth = (low + high) / 2;
      (area() > 0 ? low : high) = growth;
    }
    scale = -1 / (std::exp(growth * closing) * std::sin(std::numbers::pi * closing / peak));
  }
  double at(double t) const {
    if (t < closing) return scale * std::exp(growth * t) * std::sin(std::numbers::pi * t / peak);
    return -(std::exp(-decay * (t - closing)) - std::exp(-decay * (1 - closing))) / (decay * back);
  }

 private:
  double area() {
    scale = -1 / (std::exp(growth * closing) * std::sin(std::numbers::pi * closing / peak));
    double sum = 0;
    constexpr int kSteps = 2000;
    for (int i = 0; i < kSteps; ++i) sum += at((i + 0.5) / kSteps);
    return sum;
  }
};

} // namespace

VoiceSource::VoiceSource()
    : tables_(static_cast<std::size_t>(kShapes * kRegisters * (kPoints + 1))) {
  constexpr int kSamples = 4096;
  std::vector<std::complex<double>> turn(kSamples);
  for (int i = 0; i < kSamples; ++i)
    turn[static_cast<std::size_t>(i)] = std::polar(1.0, -2 * std::numbers::pi * i / kSamples);
  for (int shape = 0; shape < kShapes; ++shape) {
    const Pulse pulse(kLeastRd + (kMostRd - kLeastRd) * shape / (kShapes - 1));
    std::vector<double> period(kSamples);
    for (int i = 0; i < kSamples; ++i)
      period[static_cast<std::size_t>(i)] = pulse.at(static_cast<double>(i) / kSamples);
    std::vector<std::complex<double>> harmonics;
    const int most = static_cast<int>(kHighest / kLowest);
    for (int k = 1; k <= most; ++k) {
      std::complex<double> sum = 0;
      for (int i = 0; i < kSamples; ++i)
        sum += period[static_cast<std::size_t>(i)] * turn[static_cast<std::size_t>(i * k % kSamples)];
      harmonics.push_back(sum * (2.0 / kSamples));
    }
    // The same for every register: what would be too high for it is left out, the last ones softly.
    std::vector<double> out(kPoints);
    for (int reg = 0; reg < kRegisters; ++reg) {
      const double count = kHighest / (kLowest * std::exp2((reg + 1) / 3.0));
      std::fill(out.begin(), out.end(), 0.0);
      for (int k = 1; k <= std::min(most, static_cast<int>(count)); ++k) {
        const std::complex<double> h = harmonics[static_cast<std::size_t>(k - 1)];
        for (int i = 0; i < kPoints; ++i)
          out[static_cast<std::size_t>(i)] += (h * std::conj(turn[static_cast<std::size_t>(i * k % kPoints)])).real();
      }
      float* t = tables_.data() + (shape * kRegisters + reg) * (kPoints + 1);
      for (int i = 0; i <= kPoints; ++i) t[i] = static_cast<float>(out[static_cast<std::size_t>(i % kPoints)]);
    }
  }
}

const float* VoiceSource::table(int shape, int reg) const {
  return tables_.data() + (shape * kRegisters + reg) * (kPoints + 1);
}

double VoiceSource::at(double phase, double rd, double hertz) const {
  const double s = std::clamp((rd - kLeastRd) / (kMostRd - kLeastRd), 0.0, 1.0) * (kShapes - 1);
  const int shape = std::min(static_cast<int>(s), kShapes - 2);
  const int reg = std::clamp(static_cast<int>(std::floor(3 * std::log2(hertz / kLowest))), 0, kRegisters - 1);
  const double p = phase * kPoints;
  const int i = std::min(static_cast<int>(p), kPoints - 1);
  const double f = p - i, mix = s - shape;
  const auto read = [&](const float* t) {
    const double a = static_cast<double>(t[i]), b = static_cast<double>(t[i + 1]);
    return a + (b - a) * f;
  };
  return (1 - mix) * read(table(shape, reg)) + mix * read(table(shape + 1, reg));
}

double VoiceSource::open(double phase, double rd) {
  const double until = std::min(0.45 + 0.16 * rd, 0.9);
  return phase < until ? std::sin(std::numbers::pi * phase / until) : 0;
}

} // namespace lantern
