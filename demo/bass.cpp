// The bass: a string's harmonics behind a closing filter, then a tube that makes more of them, so that it is heard
// where nothing under 150 Hz is. It ducks for the kick.
#include "drums.h"
#include "groove.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>

namespace lantern {
namespace {

constexpr int kStringHarmonics = 14;

void pull(Track& track, double beat, double length, int midi, double force, Noise& chance) {
  const double f = hz(midi), seconds = length * kBeat;
  double phase = 0;
  int count = 0;
  Filter closing, click(1900, 0.8);
  play(track, beat, seconds + 0.04, 0, [&](double t) {
    phase += kTau * f / kRate;
    if (count++ % 32 == 0) closing.set(260 + 1500 * force * force * std::exp(-t / 0.16), 0.75);
    // Harmonics by the Chebyshev recurrence, even ones weaker: pulled near the middle.
    double bright = 0, s0 = 0, s1 = std::sin(phase);
    const double base = s1, c = 2 * std::cos(phase);
    for (int k = 2; k <= kStringHarmonics; ++k) {
      const double s2 = c * s1 - s0;
      s0 = s1;
      s1 = s2;
      bright += s2 / k * (k % 2 ? 1 : 0.7);
    }
    const double finger = t < 0.006 ? chance.next() * (1 - t / 0.006) : 0;
    const double x = base + 1.1 * closing.step(bright).low;
    const double tube = std::tanh(1.5 * force * x + 0.25) - std::tanh(0.25); // not the same both ways: even harmonics
    const double release = std::clamp((seconds + 0.04 - t) / 0.045, 0.0, 1.0);
    return force *
           (0.55 * tube * std::min(1.0, t / 0.003) * (0.7 + 0.3 * std::exp(-t / 0.25)) +
            0.12 * click.step(finger).band) *
           release;
  });
}

} // namespace

Track playBass() {
  Track track;
  Noise chance(41);
  const Wander touch(42, 0.05);
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int root = chordAt(bar).bass, fifth = root + 7;
    const auto note = [&](double at, double length, int midi, double force) {
      pull(track, played(bar, at), length, midi, force * (1 + touch.at(4.0 * bar + at)), chance);
    };
    switch (s.part) {
    case Part::intro:
      break;
    case Part::verse:
      note(0, 1.6, root, 0.82);
      note(1.75, 0.6, root, 0.6);
      note(2.5, 1.2, bar % 4 == 3 ? fifth : root, 0.74);
      break;
    case Part::lift:
      if (bar == 31) {
        note(0, 1.9, root, 0.95);
        break;
      }
      for (int k = 0; k < 8; ++k) note(0.5 * k, 0.42, root, k % 2 ? 0.5 : 0.68);
      break;
    case Part::chorus:
      note(0, 1.35, root, 0.98);
      note(1.5, 0.85, root, 0.84);
      note(2.5, 0.9, fifth, 0.84);
      note(3.5, 0.45, bar % 2 ? root + 10 : root, 0.74);
      break;
    case Part::rest:
      if (bar % 2 == 0) note(0, 7.0, root, 0.6);
      break;
    case Part::last:
      note(0, bar == 59 ? 5 : 2.3, root, 0.74);
      if (bar < 58) note(2.5, 1.3, root, 0.6);
      break;
    }
  }
  // It makes room for the kick.
  for (int bar = 0; bar < kBars; ++bar)
    for (const double k : kickBeats(bar)) {
      const std::int64_t first = frameAt(played(bar, k));
      for (std::int64_t i = 0; i < static_cast<std::int64_t>(0.2 * kRate) && first + i < track.frames(); ++i) {
        const double t = static_cast<double>(i) / kRate;
        const auto g = static_cast<float>(1 - 0.6 * std::exp(-t / 0.055) * std::min(1.0, t / 0.003));
        track.sound.left()[first + i] *= g;
        track.sound.right()[first + i] *= g;
      }
    }
  track.highPass(32);
  track.bell(124, 10, 1);
  track.normalise(decibels(-6));
  return track;
}

} // namespace lantern
