#include "dsp/tones/steady_noise.h"

#include "audio/chance.h"
#include "dsp/measure/fourier.h"

#include <cmath>
#include <map>
#include <mutex>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kLeastSeconds = 5, kLowestHz = 20, kRideSeconds = 0.125;
constexpr std::uint64_t kSeed = 0x5eed0fca1f;

/// Divides a band, which goes round, by its level about every sample.
void ride(float* x, std::int64_t n, std::int64_t window) {
  window = std::clamp<std::int64_t>(window | 1, 3, n / 2 * 2 - 1);
  // A Hann window by three running sums: of the power, and of it times cosine and sine.
  const double w = 2 * std::numbers::pi / static_cast<double>(window);
  std::vector<double> power(static_cast<std::size_t>(n)), level(static_cast<std::size_t>(n));
  double all = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    power[static_cast<std::size_t>(i)] = static_cast<double>(x[i]) * static_cast<double>(x[i]);
    all += power[static_cast<std::size_t>(i)];
  }
  const std::int64_t half = window / 2;
  double sum = 0, re = 0, im = 0;
  const auto at = [&](std::int64_t i) { return power[static_cast<std::size_t>(((i % n) + n) % n)]; };
  for (std::int64_t k = -half; k <= half; ++k) {
    sum += at(k);
    re += at(k) * std::cos(w * static_cast<double>(k));
    im += at(k) * std::sin(w * static_cast<double>(k));
  }
  const double cosStep = std::cos(w), sinStep = std::sin(w);
  for (std::int64_t i = 0; i < n; ++i) {
    level[static_cast<std::size_t>(i)] = 0.5 * (sum + re);
    // On by one: what leaves at −half, all turns back by one step, what comes in at +half.
    const double old = at(i - half), next = at(i + half + 1), a = w * static_cast<double>(half);
    sum -= old;
    re -= old * std::cos(-a);
    im -= old * std::sin(-a);
    const double turnedRe = re * cosStep + im * sinStep, turnedIm = im * cosStep - re * sinStep;
    re = turnedRe + next * std::cos(a);
    im = turnedIm + next * std::sin(a);
    sum += next;
  }
  const double mean = all / static_cast<double>(n), weight = 0.5 * static_cast<double>(window);
  for (std::int64_t i = 0; i < n; ++i) {
    const double local = std::max(level[static_cast<std::size_t>(i)] / weight, mean * 1e-3);
    x[i] *= static_cast<float>(std::sqrt(mean / local));
  }
}

void makeSide(float* out, std::int64_t size, double rate, std::uint64_t seed) {
  const auto whole = RealFourier::ofSize(size);
  const auto spectrum = whole->spectrum();
  std::fill_n(spectrum.get(), whole->bins(), std::complex<float>(0));
  const double perBin = rate / static_cast<double>(size), highest = 0.48 * rate;
  for (double low = kLowestHz; low < highest;) {
    const double ratio = low < 999 ? std::cbrt(2.0) : 2.0, high = std::min(low * ratio, highest);
    const auto first = static_cast<std::int64_t>(std::ceil(low / perBin)),
               end = static_cast<std::int64_t>(std::ceil(high / perBin));
    low *= ratio;
    if (end <= first) continue;
    // As short a transform as holds the band.
    std::int64_t part = 64;
    while (part < size && part < 3 * end) part *= 2;
    const auto transform = RealFourier::ofSize(part);
    const auto bins = transform->spectrum();
    const auto samples = transform->samples();
    std::fill_n(bins.get(), transform->bins(), std::complex<float>(0));
    for (std::int64_t k = first; k < end; ++k) {
      const double phase = 2 * std::numbers::pi * unitAt(seed + static_cast<std::uint64_t>(k));
      bins[k] = std::polar(static_cast<float>(1 / std::sqrt(static_cast<double>(k))), static_cast<float>(phase));
    }
    transform->inverse(bins.get(), samples.get());
    const double partRate = rate * static_cast<double>(part) / static_cast<double>(size);
    for (int pass = 0; pass < 2; ++pass) ride(samples.get(), part, std::llround(kRideSeconds * partRate));
    transform->forward(samples.get(), bins.get());
    const auto scale = static_cast<float>(1.0 / static_cast<double>(part));
    for (std::int64_t k = 1; k < std::min(transform->bins() - 1, whole->bins() - 1); ++k)
      spectrum[k] += scale * bins[k];
  }
  const auto samples = whole->samples();
  whole->inverse(spectrum.get(), samples.get());
  double power = 0;
  for (std::int64_t i = 0; i < size; ++i) power += static_cast<double>(samples[i]) * static_cast<double>(samples[i]);
  const auto gain = static_cast<float>(1 / std::sqrt(power / static_cast<double>(size)));
  for (std::int64_t i = 0; i < size; ++i) out[i] = gain * samples[i];
}

} // namespace

std::shared_ptr<const StereoBuffer> steadyNoise(double sampleRate) {
  static std::mutex mutex;
  static std::map<double, std::shared_ptr<const StereoBuffer>> made;
  const std::lock_guard lock(mutex);
  auto& place = made[sampleRate];
  if (!place) {
    std::int64_t size = 1024;
    while (static_cast<double>(size) < kLeastSeconds * sampleRate) size *= 2;
    auto noise = std::make_shared<StereoBuffer>(size);
    makeSide(noise->left(), size, sampleRate, kSeed);
    makeSide(noise->right(), size, sampleRate, kSeed + (std::uint64_t{1} << 40));
    place = std::move(noise);
  }
  return place;
}

} // namespace ivrin
