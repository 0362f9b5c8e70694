#include "groove.h"

#include "composition.h"
#include "synth.h"

#include <algorithm>
#include <cmath>

namespace lantern {

Wander::Wander(std::uint64_t seed, double deviation, double shortest) {
  Noise noise(seed);
  constexpr double kLongest = 128;
  constexpr int kPerOctave = 6;
  for (double period = kLongest; period > shortest; period /= std::exp2(1.0 / kPerOctave))
    sines_.push_back({kTau / (period * (1 + 0.05 * noise.next())), kTau * noise.unit()});
  each_ = deviation * std::sqrt(2.0 / static_cast<double>(sines_.size()));
}

double Wander::at(double x) const {
  double sum = 0;
  for (const Sine& s : sines_) sum += std::sin(s.rate * x + s.phase);
  return each_ * sum;
}

double lateAt(double beat) {
  static const Wander wander(7, 0.0068);
  double away = 1e9; // beats from the nearest section's begin: everybody lands together
  for (const Section& s : form()) away = std::min(away, std::abs(beat - 4.0 * s.firstBar));
  return wander.at(beat) * (1 - std::exp(-away * away));
}

namespace {

double swung(double beatInBar) {
  const double pair = std::floor(beatInBar * 2 + 1e-6) / 2, within = beatInBar - pair;
  return pair + (within < 0.25 ? within * 2 * kSwing : 0.5 * kSwing + (within - 0.25) * 2 * (1 - kSwing));
}

/// With so much of the drummer's wander.
double placed(int bar, double beatInBar, double share) {
  const double beat = 4.0 * bar + beatInBar;
  return 4.0 * bar + swung(beatInBar) + share * lateAt(beat) / kBeat;
}

} // namespace

double played(int bar, double beatInBar) {
  return placed(bar, beatInBar, 1);
}

double follows(int bar, double beatInBar) {
  return placed(bar, beatInBar, 0.5);
}

} // namespace lantern
