// What lies around the song: a slow choir of partials that are not quite in tune with each other, one on each side, and
// water against the hull.
#include "groove.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>

namespace lantern {
namespace {

void choir(Track& track) {
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const Chord& c = chordAt(bar);
    const double level = s.part == Part::intro    ? 1.0
                         : s.part == Part::rest   ? 1.2
                         : s.part == Part::chorus ? 1.25
                         : s.part == Part::lift   ? 0.5
                                                  : 0.45;
    const double length = bar == 31 ? 2.0 : 4.0, seconds = length * kBeat + 0.9;
    for (std::size_t k = 0; k < c.voicing.size(); ++k)
      for (const int side : {-1, 1}) {
        const double f = hz(c.voicing[k] + (k >= 2 ? 12 : 0)) * (1 + side * 0.0021);
        // Brighter where it is louder.
        double weight[9];
        for (int h = 1; h <= 9; ++h) weight[h - 1] = std::pow(h, -1.9 + 0.5 * level);
        double p = 0.7 * static_cast<double>(k) + 2 * side;
        play(track, 4.0 * bar, seconds, 0.85 * side, [&](double t) {
          p += kTau * f / kRate;
          const double rise = std::min(1.0, t / 0.45), fall = std::clamp((seconds - t) / 0.9, 0.0, 1.0);
          // Partials by the Chebyshev recurrence.
          double sum = 0, s0 = 0, s1 = std::sin(p);
          const double c2 = 2 * std::cos(p);
          for (const double w : weight) {
            sum += s1 * w;
            const double s2 = c2 * s1 - s0;
            s0 = s1;
            s1 = s2;
          }
          return 0.05 * level * rise * fall * sum;
        });
      }
  }
}

void water(Track& track) {
  Noise noise(71);
  Filter left, right, sprayLeft(7200, 0.5), sprayRight(7600, 0.5);
  for (std::int64_t i = 0; i < track.frames(); ++i) {
    const double t = static_cast<double>(i) / kRate;
    if (i % 64 == 0) {
      left.set(900 + 500 * std::sin(kTau * 0.11 * t), 0.6);
      right.set(1100 + 450 * std::sin(kTau * 0.09 * t + 2), 0.6);
    }
    const double swell = 0.5 + 0.5 * std::sin(kTau * 0.13 * t - 1.2),
                 swell2 = 0.5 + 0.5 * std::sin(kTau * 0.17 * t + 0.4);
    const double ends = std::min({1.0, t / 3, (kSeconds - t) / 4});
    const double bar = t / kBeat / 4, hush = bar > 31.5 && bar < 32 ? 0.15 : 1;
    const double n1 = noise.next(), n2 = noise.next();
    track.sound.left()[i] += static_cast<float>(hush * ends * swell * swell *
                                                (0.035 * left.step(n1).band + 0.006 * sprayLeft.step(n1).high));
    track.sound.right()[i] += static_cast<float>(hush * ends * swell2 * swell2 *
                                                 (0.035 * right.step(n2).band + 0.006 * sprayRight.step(n2).high));
  }
}

} // namespace

Track playTexture() {
  Track track;
  choir(track);
  water(track);
  track.highPass(170);
  track.room(0.30, 2.2, 5500, 0.02);
  track.bell(600, -6.5, 0.9);
  track.highShelf(1500, 5);
  track.width(1.25);
  track.normalise(decibels(-9));
  return track;
}

} // namespace lantern
