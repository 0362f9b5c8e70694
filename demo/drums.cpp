// Kick, snare, rim, hats and a crash; and the shaker, which sits beside the drummer. How hard they are hit decides not
// only how loud they are: a head that is hit harder starts higher, rattles longer and is brighter.
#include "drums.h"

#include "groove.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>

namespace lantern {

std::vector<double> kickBeats(int bar) {
  const Part p = sectionAt(bar).part;
  const int within = bar - sectionAt(bar).firstBar;
  if (p == Part::verse && within >= 4) return bar % 2 ? std::vector<double>{0, 1.75, 2.5} : std::vector<double>{0, 2.5};
  if (p == Part::lift)
    return within == 7   ? std::vector<double>{0, 1}
           : within >= 4 ? std::vector<double>{0, 1, 2, 3}
                         : std::vector<double>{0, 2.5};
  if (p == Part::chorus) return bar % 2 ? std::vector<double>{0, 1.75, 2.5, 3.75} : std::vector<double>{0, 1.5, 2.5};
  if (p == Part::last && within < 4) return {0, 2.5};
  return {};
}

namespace {

void kick(Track& track, double beat, double force, Noise& noise) {
  double p = 0;
  Filter beater(3400, 0.7);
  play(track, beat, 0.42, 0, [&](double t) {
    const double f = 48 + (60 + 90 * force) * std::exp(-t / 0.022) + 260 * force * std::exp(-t / 0.004);
    p += kTau * f / kRate;
    const double skin = std::sin(p) * std::exp(-t / (0.11 + 0.05 * force));
    const double felt = beater.step(noise.next()).band * std::exp(-t / 0.005) * force;
    return force * (std::tanh(1.6 * skin) * 0.9 + 0.55 * felt) * std::min(1.0, t / 0.0004) *
           std::min(1.0, (0.42 - t) / 0.03);
  });
}

void snare(Track& track, double beat, double force, Noise& noise) {
  // The head's first two modes in the middle, and the wires that buzz against the lower one all across it.
  const double strain = 1 + 0.05 * force, rattle = 0.045 + 0.085 * force, bright = 0.3 + 0.9 * force;
  const auto shape = [force](double t) { return force * std::min(1.0, t / 0.0004) * std::min(1.0, (0.45 - t) / 0.04); };
  double p1 = 0, p2 = 0;
  play(track, beat, 0.45, 0.05, [&](double t) {
    const double bend = strain * (1 + 0.25 * std::exp(-t / 0.012));
    p1 += kTau * 188 * bend / kRate;
    p2 += kTau * 331 * bend / kRate;
    const double head = 0.75 * std::sin(p1) * std::exp(-t / 0.085) + 0.45 * std::sin(p2) * std::exp(-t / 0.05);
    return shape(t) * (0.40 * head + 0.5 * force * noise.next() * std::exp(-t / 0.0025));
  });
  for (const double side : {-0.95, 0.95}) {
    Filter body(950, 0.6), wires(3300, 0.55), air(6800, 0.7);
    play(track, beat, 0.45, side, [&](double t) {
      const double n = noise.next();
      const double buzz = (0.65 * body.step(n).band + 1.5 * wires.step(n).band + 0.5 * bright * air.step(n).high) *
                          (std::exp(-t / rattle) + 0.12 * std::exp(-t / 0.2));
      return shape(t) * (0.25 + 0.32 * bright) * buzz;
    });
  }
}

void rim(Track& track, double beat, double force, Noise& noise) {
  Mode wood(480, 0.05, 0.9), stick(1720, 0.035, 0.9), edge(2900, 0.02, 0.5);
  Filter click(4200, 0.7);
  play(track, beat, 0.2, -0.12, [&](double t) {
    const double hit = t < 0.0012 ? noise.next() * force : 0;
    return force * (1.3 * (wood.step(hit) + stick.step(hit) + edge.step(hit)) + 0.7 * click.step(hit).high) *
           std::min(1.0, (0.2 - t) / 0.02);
  });
}

/// Metal: noise in front of six rings that have nothing to do with each other, all above what is sung; large enough to
/// be heard from both sides.
void metal(Track& track, double beat, double force, double seconds, double pan, double lowest, Noise& noise) {
  const double rings[] = {3130, 4270, 5390, 6730, 8110, 9870}, whole = std::min(6 * seconds, 3.5);
  for (const double side : {-0.45, 0.45}) {
    double p[6] = {};
    Filter bottom(lowest, 0.7), top(9500, 0.6);
    play(track, beat, whole, std::clamp(pan + side, -1.0, 1.0), [&](double t) {
      double ring = 0;
      for (int k = 0; k < 6; ++k) {
        p[k] += kTau * rings[k] * (1 + 0.003 * side) / kRate;
        ring += std::sin(p[k] + 1.7 * std::sin(0.7413 * p[k]));
      }
      const double n = noise.next(), x = 0.40 * n + 0.06 * ring;
      return force * (bottom.step(x).high + 0.3 * top.step(n).high) * std::min(1.0, t / 0.0012) *
             (std::exp(-t / seconds) + 0.25 * force * std::exp(-t / (0.3 * seconds))) *
             std::min(1.0, (whole - t) / 0.05);
    });
  }
}

} // namespace

Track playDrums() {
  Track track;
  Noise noise(51);
  const Wander touch(52, 0.07);
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    const bool chorus = s.part == Part::chorus;
    const auto hit = [&](double at, double force) { return force * (1 + touch.at(4.0 * bar + at)); };
    for (const double k : kickBeats(bar))
      kick(track, played(bar, k), hit(k, chorus ? 0.97 : s.part == Part::lift ? 0.68 : 0.8), noise);
    if (s.part == Part::verse && within >= 4) {
      rim(track, played(bar, 1), hit(1, 0.34), noise);
      rim(track, played(bar, 3), hit(3, 0.38), noise);
      if (within % 4 == 1) rim(track, played(bar, 3.75), hit(3.75, 0.16), noise);
    }
    if (s.part == Part::lift && within < 7) {
      snare(track, played(bar, 1), hit(1, 0.42), noise);
      snare(track, played(bar, 3), hit(3, 0.46), noise);
      if (within % 2) snare(track, played(bar, 1.75), hit(1.75, 0.14), noise);
      if (within == 6)
        for (int k = 0; k < 8; ++k) snare(track, played(bar, 2 + 0.25 * k), hit(2, 0.18 + 0.06 * k), noise);
    }
    if (bar == 31) snare(track, played(bar, 1.5), 0.8, noise); // the last hit before the drop
    if (chorus) {
      snare(track, played(bar, 1), hit(1, 0.9), noise);
      snare(track, played(bar, 3), hit(3, 0.94), noise);
      // Ghosts: hardly hit, nearly only wires.
      snare(track, played(bar, 2.25), hit(2.25, 0.16), noise);
      snare(track, played(bar, 0.75), hit(0.75, 0.11), noise);
      if (within % 4 == 3) snare(track, played(bar, 3.75), hit(3.75, 0.42), noise);
    }
    if (s.part == Part::last && within < 4) rim(track, played(bar, 3), hit(3, 0.32), noise);
    // Hats: eighths, open off the beat in the chorus.
    const bool hats = chorus || (s.part == Part::lift && bar != 31) || (s.part == Part::verse && within >= 8);
    if (hats)
      for (int k = 0; k < 8; ++k) {
        const double force = hit(0.5 * k, (k % 2 ? 0.20 : 0.13) * (chorus ? 1 : 0.7));
        const bool open = chorus && k % 2;
        metal(track, played(bar, 0.5 * k), force, open ? 0.11 : 0.028 + 0.03 * force, 0.45, 6200, noise);
      }
    if (chorus && (within == 0 || within == 8)) metal(track, played(bar, 0), 0.62, 0.9, -0.5, 2600, noise);
    if (bar == 16 || bar == 24 || bar == 54) metal(track, played(bar, 0), 0.20, 0.8, -0.3, 3400, noise);
  }
  track.bell(58, -2, 1);
  track.bell(2300, 5, 0.5);
  track.bell(7000, 2, 0.8);
  track.highShelf(12000, -4);
  track.room(0.14, 0.5, 7500, 0.004);
  track.saturate(1.1);
  track.normalise(decibels(-3));
  return track;
}

Track playShaker() {
  Track track;
  Noise noise(61);
  const Wander touch(62, 0.12);
  // Beads fly before they land: every stroke swells into its place.
  const auto shake = [&](int bar, double at, double force) {
    const double flight = 0.030, fall = 0.020 + 0.012 * force;
    for (const double side : {-0.9, 0.2}) {
      Filter beads(5200, 0.6), air(10500, 0.7);
      play(track, played(bar, at) - flight / kBeat, 0.2, side, [&](double t) {
        const double n = noise.next(), along = t < flight ? std::pow(t / flight, 3) : std::exp(-(t - flight) / fall);
        return force * along * (0.8 * beads.step(n).high + (0.6 + 0.8 * force) * air.step(n).high);
      });
    }
  };
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    if ((s.part == Part::intro && within < 4) || s.part == Part::rest || bar >= 58) continue;
    const int steps = bar == 31 ? 8 : 16;
    for (int k = 0; k < steps; ++k) {
      const double accent = k % 4 == 2 ? 0.38 : k % 2 ? 0.15 : 0.25;
      shake(bar, 0.25 * k, accent * (1 + touch.at(4.0 * bar + 0.25 * k)) * (s.part == Part::chorus ? 1.15 : 0.9));
    }
  }
  track.normalise(decibels(-8));
  return track;
}

} // namespace lantern
