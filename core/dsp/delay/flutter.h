// The fast part of a tape transport's unsteadiness.
#pragma once

#include "audio/chance.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

namespace ivrin {

/// What a transport's capstan and rollers add to its slow drift: noise of 5 to 12 Hz, RMS 1, that goes round in ten
/// seconds (every tenth of a hertz with a phase of its own).
class Flutter {
 public:
  explicit Flutter(std::uint64_t seed)
      : table_(kPoints) {
    constexpr int kLowest = 50, kHighest = 120; // tenths of a hertz
    Chance draw(mix64(seed));
    const double amplitude = std::sqrt(2.0 / (kHighest - kLowest + 1));
    for (int k = kLowest; k <= kHighest; ++k) {
      const double phase = 2 * std::numbers::pi * draw.unit(), sine = amplitude * std::cos(phase),
                   cosine = amplitude * std::sin(phase);
      for (int i = 0; i < kPoints; ++i)
        table_[static_cast<std::size_t>(i)] += sine * turn(k * i) + cosine * turn(k * i + kPoints / 4);
    }
    for (double& v : table_) v = std::clamp(v, -kMost, kMost);
  }
  static constexpr double kMost = 3.5;
  double at(double seconds) const { // Catmull-Rom: twenty points and more to a turn
    const double x = seconds / kSeconds * kPoints;
    const auto i = static_cast<std::int64_t>(std::floor(x));
    const double u = x - static_cast<double>(i), a = point(i - 1), b = point(i), c = point(i + 1), d = point(i + 2);
    return b + 0.5 * u * (c - a + u * (2 * a - 5 * b + 4 * c - d + u * (3 * (b - c) + d - a)));
  }

 private:
  static constexpr int kPoints = 4096;
  static constexpr double kSeconds = 10;
  /// sin(2π i / kPoints), looked up: all of these tones go through the same points.
  static double turn(int i) {
    static const std::vector<double> sines = [] {
      std::vector<double> all(kPoints);
      for (int k = 0; k < kPoints; ++k) all[static_cast<std::size_t>(k)] = std::sin(2 * std::numbers::pi * k / kPoints);
      return all;
    }();
    return sines[static_cast<std::size_t>(i % kPoints)];
  }
  double point(std::int64_t i) const { return table_[static_cast<std::size_t>((i % kPoints + kPoints) % kPoints)]; }
  std::vector<double> table_;
};

} // namespace ivrin
