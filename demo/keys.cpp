// The electric piano: a felt hammer on a tine beside its bar. Two sines, one bending the other, are the bar (J. M.
// Chowning, "The synthesis of complex audio spectra by means of frequency modulation", JAES 21 (1973)); the tine rings
// far above it like a small bell; the hammer is heard as a knock.
#include "groove.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>

namespace lantern {
namespace {

void strike(Track& track, double beat, double length, int midi, double force, double pan, Noise& chance) {
  const double f = hz(midi), held = length * kBeat, seconds = held + 0.6;
  double bar = kTau * chance.unit(), bend = bar, tine = 0, tine2 = 0;
  Mode wood(190, 0.06, 0.5), felt(1250, 0.03, 0.35);
  Filter knock(2600, 0.6);
  const double ring = 2.3 - 0.012 * midi, glow = force * force * 2.1;
  play(track, beat, seconds, pan, [&](double t) {
    bar += kTau * f / kRate;
    bend += kTau * f * 1.0006 / kRate;
    tine += kTau * f * 7.03 / kRate;
    tine2 += kTau * f * 11.3 / kRate;
    const double hammer = t < 0.004 ? chance.next() * (1 - t / 0.004) : 0;
    const double damper = t < held ? 1 : std::exp(-(t - held) / 0.09);
    const double index = glow * std::exp(-t / 0.35) + 0.35 * std::exp(-t / 1.5) + 0.1;
    const double body = std::exp(-t / ring) * std::sin(bar + index * std::sin(bend));
    const double bell =
        force * (0.34 * std::exp(-t / 0.35) * std::sin(tine) + 0.12 * std::exp(-t / 0.12) * std::sin(tine2));
    const double attack = std::min(1.0, t / 0.0015);
    return force *
           (0.30 * damper * attack * (body + 0.55 * bell) +
            0.16 * force * (wood.step(hammer) + felt.step(hammer) + knock.step(hammer).band)) *
           std::min(1.0, (seconds - t) / 0.03);
  });
}

} // namespace

Track playKeys() {
  Track track;
  Noise chance(21);
  const Wander touch(22, 0.06);
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const Chord& c = chordAt(bar);
    const auto chord = [&](double at, double length, double force) {
      for (std::size_t k = 0; k < c.voicing.size(); ++k) {
        const bool top = k + 1 == c.voicing.size();
        strike(track, follows(bar, at) + 0.009 * static_cast<double>(k), length, c.voicing[k],
               force * (top ? 1.05 : 0.86) * (1 + touch.at(4.0 * bar + at)), -0.45 + 0.3 * static_cast<double>(k),
               chance);
      }
    };
    /// A single note high above the chord, where the voice rests.
    const auto above = [&](double at, std::size_t k, double force) {
      strike(track, follows(bar, at), 1.2, c.voicing[k] + 12, force, 0.3, chance);
    };
    const int within = bar - s.firstBar;
    switch (s.part) {
    case Part::intro:
      chord(0, 3.8, 0.74);
      if (within % 2) chord(2.5, 1.3, 0.55);
      if (within % 2) above(1.5, 3, 0.46);
      break;
    case Part::verse:
      chord(0, 2.2, 0.62);
      chord(2.5, 1.4, 0.5);
      if (within % 4 == 3) above(3.25, 2, 0.36);
      break;
    case Part::lift:
      if (bar == 31) {
        chord(0, 1.9, 0.85);
      } else {
        chord(0, 1.4, 0.5 + 0.02 * within);
        chord(1.5, 1.4, 0.44 + 0.02 * within);
        chord(3, 0.9, 0.46 + 0.02 * within);
      }
      break;
    case Part::chorus:
      chord(0, 1.4, 0.92);
      chord(1.5, 0.9, 0.74);
      chord(2.5, 1.4, 0.8);
      if (within % 2) above(3.5, 3, 0.5);
      break;
    case Part::rest:
      chord(0, 3.6, 0.66);
      if (within % 2) above(2, 3, 0.5);
      break;
    case Part::last:
      chord(0, bar == 59 ? 6 : 2.4, 0.62);
      if (bar < 58) chord(2.5, 1.4, 0.46);
      break;
    }
  }
  track.highPass(150);
  track.bell(620, -4, 1);
  track.bell(400, 3, 1.4);
  track.highShelf(1600, 7);
  track.width(1.9);
  track.room(0.16, 1.2, 5200, 0.012);
  track.normalise(decibels(-5));
  return track;
}

} // namespace lantern
