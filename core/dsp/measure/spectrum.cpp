#include "dsp/measure/spectrum.h"

#include "audio/lanes.h"
#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

IVRIN_CLONES void windowed(const float* in, const float* window, float* out, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) out[i] = in[i] * window[i];
}

/// Sum of squares, in eight lanes.
IVRIN_CLONES double squares(const float* x, std::int64_t n) {
  Eight sum{};
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8) {
    const Eight v = *reinterpret_cast<const EightInMemory*>(x + i);
    sum += v * v;
  }
  double all = 0;
  for (int k = 0; k < 8; ++k) all += static_cast<double>(sum[k]);
  for (; i < n; ++i) all += static_cast<double>(x[i]) * x[i];
  return all;
}

} // namespace

std::vector<float> bandLevels(const StereoBuffer& sound, double rate, int bands) {
  constexpr std::int64_t kSize = 8192, kHop = kSize / 2;
  const auto fourier = RealFourier::ofSize(kSize);
  const auto samples = fourier->samples();
  const auto bins = fourier->spectrum();
  std::vector<double> power(static_cast<std::size_t>(fourier->bins()), 0.0);
  std::int64_t blocks = 0;
  for (std::int64_t at = 0; at == 0 || at + kHop < sound.frames(); at += kHop, ++blocks)
    for (const float* side : {sound.left(), sound.right()}) {
      for (std::int64_t i = 0; i < kSize; ++i) {
        const double w = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / kSize);
        samples[static_cast<std::size_t>(i)] = at + i < sound.frames() ? static_cast<float>(w) * side[at + i] : 0.0f;
      }
      fourier->forward(samples.get(), bins.get());
      for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::norm(bins[k]);
    }
  // A full-scale sine has (N/4)² in its bin under this window, spread over 1.5 bins' worth of power.
  const double full = 1.5 * (kSize / 4.0) * (kSize / 4.0) * 2 * static_cast<double>(blocks);
  std::vector<float> out;
  for (int b = 0; b < bands; ++b) {
    const double low = 20 * std::pow(1000.0, static_cast<double>(b) / bands) * kSize / rate;
    const double high = 20 * std::pow(1000.0, static_cast<double>(b + 1) / bands) * kSize / rate;
    double sum = 0;
    // A band narrower than a bin has its share of it.
    for (auto k = static_cast<std::size_t>(std::floor(low)); k < power.size() && static_cast<double>(k) < high; ++k) {
      const double share = std::min(high, static_cast<double>(k) + 1) - std::max(low, static_cast<double>(k));
      sum += share * power[k];
    }
    out.push_back(static_cast<float>(10 * std::log10(sum / full + 1e-20)));
  }
  return out;
}

MeanSpectrum meanSpectrum(double rate, FrameRange range, double seconds,
                          const std::function<void(Frames, StereoSpan)>& read) {
  constexpr std::int64_t kMostWindows = 24, kPadding = 4;
  const std::int64_t frames = range.length(), window = std::min(frames, static_cast<std::int64_t>(seconds * rate));
  MeanSpectrum mean;
  if (window < 64) return mean;
  std::int64_t size = 64;
  while (size < kPadding * window) size *= 2;
  const auto fourier = RealFourier::ofSize(size);
  const auto samples = fourier->samples();
  const auto bins = fourier->spectrum();
  mean.left.assign(static_cast<std::size_t>(fourier->bins()), 0);
  mean.right = mean.left;
  mean.hzPerBin = rate / static_cast<double>(size);
  std::vector<float> shape(static_cast<std::size_t>(window));
  for (std::int64_t i = 0; i < window; ++i)
    shape[static_cast<std::size_t>(i)] = static_cast<float>(
        0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(window)));
  const std::int64_t room = frames - window,
                     count = std::min(room / std::max<std::int64_t>(1, window / 2) + 1, kMostWindows);
  const double scale = 2 / (static_cast<double>(size) * squares(shape.data(), window) * static_cast<double>(count));
  StereoBuffer sound(window);
  for (std::int64_t k = 0; k < count; ++k) {
    read(range.begin + Frames(count > 1 ? room * k / (count - 1) : 0), sound.span());
    for (const bool left : {true, false}) {
      windowed(left ? sound.left() : sound.right(), shape.data(), samples.get(), window);
      std::fill(samples.get() + window, samples.get() + size, 0.0f);
      fourier->forward(samples.get(), bins.get());
      auto& sum = left ? mean.left : mean.right;
      for (std::size_t b = 0; b < sum.size(); ++b) sum[b] += scale * static_cast<double>(std::norm(bins[b]));
    }
  }
  return mean;
}

std::optional<int> strongestNote(const MeanSpectrum& m) {
  constexpr int kLowest = 36, kHighest = 84, kHarmonics = 8;
  constexpr double kWeight = 0.84;
  std::optional<int> best;
  double most = 1e-6; // −120 dBFS
  for (int note = kLowest; note <= kHighest; ++note) {
    const double hz = 440 * std::exp2((note - 69) / 12.0);
    double sum = 0, weight = 1;
    for (int h = 1; h <= kHarmonics; ++h, weight *= kWeight) {
      const auto from = static_cast<std::size_t>(hz * h * std::exp2(-0.4 / 12) / m.hzPerBin),
                 to = std::min(m.left.size(), static_cast<std::size_t>(hz * h * std::exp2(0.4 / 12) / m.hzPerBin) + 1);
      double power = 0;
      for (std::size_t b = from; b < to; ++b) power += m.left[b] + m.right[b];
      sum += weight * std::sqrt(power);
    }
    if (sum > most) {
      most = sum;
      best = note;
    }
  }
  return best;
}

BandPower::BandPower(const std::vector<double>& edgesHz, double sampleRate, std::int64_t size)
    : size_(size)
    , fourier_(RealFourier::ofSize(size))
    , in_(fourier_->samples())
    , out_(fourier_->spectrum())
    , window_(static_cast<std::size_t>(size)) {
  double power = 0;
  for (std::int64_t i = 0; i < size_; ++i) {
    const double w =
        0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(size_));
    window_[static_cast<std::size_t>(i)] = static_cast<float>(w);
    power += w * w;
  }
  mean_ = 1 / (power * static_cast<double>(size_));
  for (const double hz : edgesHz)
    edges_.push_back(
        std::min<std::int64_t>(std::llround(hz / sampleRate * static_cast<double>(size_)), fourier_->bins()));
}

void BandPower::of(const float* left, const float* right, std::span<double> power) {
  std::fill(power.begin(), power.end(), 0.0);
  for (const float* side : {left, right}) {
    windowed(side, window_.data(), in_.get(), size_);
    fourier_->forward(in_.get(), out_.get());
    for (std::size_t b = 0; b < power.size(); ++b)
      power[b] += squares(reinterpret_cast<const float*>(out_.get() + edges_[b]), 2 * (edges_[b + 1] - edges_[b]));
  }
}

} // namespace ivrin
