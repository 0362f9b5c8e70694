#include "dsp/tones/wave_table.h"

#include "audio/chance.h"
#include "dsp/measure/fourier.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kMostHarmonics = 1024;
constexpr double kOverOctaves = 1.0 / 16; // in which a table gives way to the next

} // namespace

WaveTable::WaveTable(Shape shape) {
  Chance draw(4242);
  std::vector<double> phases(kMostHarmonics + 1);
  for (double& p : phases) p = 2 * std::numbers::pi * draw.unit();
  for (double count = kMostHarmonics; count > 0.7; count /= std::numbers::sqrt2) {
    const int harmonics = std::max(1, static_cast<int>(std::lround(count)));
    if (!harmonics_.empty() && harmonics == harmonics_.back()) continue;
    std::int64_t n = 256;
    while (n < (harmonics > 512 ? 8 : 16) * harmonics) n *= 2;
    const auto transform = RealFourier::ofSize(n);
    const auto bins = transform->spectrum();
    const auto samples = transform->samples();
    std::fill_n(bins.get(), transform->bins(), std::complex<float>(0));
    for (int k = 1; k <= harmonics; ++k) {
      const double theta = phases[static_cast<std::size_t>(k)];
      const double phase = shape == Shape::saw    ? -std::numbers::pi / 2 // sines
                           : shape == Shape::left ? theta
                                                  : -theta - std::numbers::pi;
      // Against the saw's own phase, so that what beats on one side is missing on the other.
      const double turned = shape == Shape::saw ? phase : phase - std::numbers::pi / 2;
      bins[k] = std::polar(static_cast<float>(0.5 / k), static_cast<float>(turned));
    }
    transform->inverse(bins.get(), samples.get());
    // Power 1/2, as a sine's.
    double power = 0;
    for (int k = 1; k <= kMostHarmonics; ++k) power += 0.5 / (static_cast<double>(k) * k);
    const auto gain = static_cast<float>(std::sqrt(0.5 / power));
    std::vector<float> table(static_cast<std::size_t>(n) + 3);
    for (std::int64_t i = 0; i < n + 3; ++i) table[static_cast<std::size_t>(i)] = gain * samples[(i - 1 + n) % n];
    levels_.push_back(std::move(table));
    bits_.push_back(std::countr_zero(static_cast<std::uint64_t>(n)));
    harmonics_.push_back(harmonics);
  }
}

const WaveTable& WaveTable::of(Shape shape) {
  static const WaveTable saw(Shape::saw), left(Shape::left), right(Shape::right);
  return shape == Shape::saw ? saw : shape == Shape::left ? left : right;
}

WaveTable::Level WaveTable::level(double hz, double highestHz) const {
  const double fit = std::max(1.0, highestHz / hz); // harmonics
  std::size_t i = 0;
  while (i + 1 < levels_.size() && harmonics_[i] > fit) ++i;
  const std::size_t next = std::min(i + 1, levels_.size() - 1);
  const Level alone{&levels_[i], &levels_[i], bits_[i], bits_[i], 0};
  if (next == i || i == 0) return alone;
  // Where the fuller one just fits, the barer one is reached: nothing jumps when the next takes its place.
  const double left = std::log2(fit / harmonics_[i]); // octaves
  if (left >= kOverOctaves) return alone;
  return {&levels_[i], &levels_[next], bits_[i], bits_[next], 1 - std::max(0.0, left) / kOverOctaves};
}

} // namespace ivrin
