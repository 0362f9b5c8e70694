#include "analysis/chroma.h"

#include "analysis/thinned.h"
#include "dsp/measure/fourier.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr std::int64_t kLength = 4096, kHop = 2048; // 171 and 85 ms at 24 kHz
constexpr double kLeastHz = 50, kMostHz = 2000;
constexpr double kNoisePeaks = 0.5, kTonePeaks = 0.8; // the share of the power that lies in peaks: noise has some too
constexpr double kBassHz = 180, kBassCounts = 2.5;    // a bass says what a chord is on
constexpr double kOverNeighbours = 4;                 // a peak's power over the mean around it: noise has few

} // namespace

RowChroma rowChroma(const RowReader& row, FrameRange range, double sampleRate) {
  Thinned thinned(sampleRate);
  const double rate = sampleRate / static_cast<double>(thinned.times());
  const auto fourier = RealFourier::ofSize(kLength);
  const auto in = fourier->samples();
  const auto out = fourier->spectrum();
  std::vector<float> window(static_cast<std::size_t>(kLength));
  for (std::size_t i = 0; i < window.size(); ++i)
    window[i] = static_cast<float>(
        0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(kLength)));
  RowChroma c;
  c.stepSeconds = static_cast<double>(kHop) / rate;
  c.begin = range.begin;
  const auto total = static_cast<std::size_t>(range.length() / (kHop * thinned.times()));
  StereoBuffer held(kLength);
  const auto lowest = std::max<std::int64_t>(4, std::llround(kLeastHz / rate * static_cast<double>(kLength))),
             highest = std::min<std::int64_t>(fourier->bins() - 5,
                                              std::llround(kMostHz / rate * static_cast<double>(kLength)));
  std::vector<double> power(static_cast<std::size_t>(fourier->bins()));
  for (Frames at = range.begin; c.steps.size() < total; at = at + Frames(kHop * thinned.times())) {
    for (float* side : {held.left(), held.right()}) std::copy_n(side + kHop, kHop, side);
    const StereoSpan fresh = held.span().part(kHop, kHop);
    thinned.read(row, at, fresh);
    Chroma step{};
    if (!held.span().isSilent()) {
      std::fill(power.begin(), power.end(), 0.0);
      for (const float* side : {held.left(), held.right()}) {
        for (std::int64_t i = 0; i < kLength; ++i) in[i] = side[i] * window[static_cast<std::size_t>(i)];
        fourier->forward(in.get(), out.get());
        for (std::int64_t k = lowest - 4; k <= highest + 4; ++k)
          power[static_cast<std::size_t>(k)] += static_cast<double>(std::norm(out[static_cast<std::ptrdiff_t>(k)]));
      }
      double all = 1e-12, peaks = 0;
      for (std::int64_t k = lowest; k <= highest; ++k) {
        const auto i = static_cast<std::size_t>(k);
        const double p = power[i];
        all += p;
        if (p < power[i - 1] || p < power[i + 1] || p < 1e-8) continue;
        double around = 0;
        for (const std::size_t d : {i - 4, i - 3, i + 3, i + 4}) around += power[d] / 4;
        if (p < kOverNeighbours * around) continue;
        peaks += power[i - 1] + p + power[i + 1];
        // Where the peak lies between bins (a parabola through the logarithms).
        const double a = std::log(power[i - 1] + 1e-12), b = std::log(p), d = std::log(power[i + 1] + 1e-12);
        const double shift = std::clamp((a - d) / (2 * (a - 2 * b + d) - 1e-12), -0.5, 0.5);
        const double hz = (static_cast<double>(k) + shift) * rate / static_cast<double>(kLength);
        const double note = 69 + 12 * std::log2(hz / 440);
        const auto pitch = static_cast<int>(std::lround(note));
        step[static_cast<std::size_t>(((pitch % 12) + 12) % 12)] +=
            static_cast<float>(std::sqrt(p) * (hz < kBassHz ? kBassCounts : 1));
      }
      float sum = 1e-6f;
      for (const float v : step) sum += v;
      // What is soft counts less, but not by its power.
      const double tonal = std::clamp((peaks / all - kNoisePeaks) / (kTonePeaks - kNoisePeaks), 0.0, 1.0);
      const auto weight = static_cast<float>(tonal * std::min(1.0, std::sqrt(static_cast<double>(sum) / kLength * 40)));
      for (float& v : step) v = v / sum * weight;
    }
    c.steps.push_back(step);
  }
  return c;
}

} // namespace ivrin
