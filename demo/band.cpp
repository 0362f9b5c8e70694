// Everything but the voice.
#include "composition.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace lantern {
namespace {

constexpr double kTau = 2 * std::numbers::pi;

/// Struck electric piano: two sines, the second bending the first, a bell on top.
void strike(Track& track, double beat, double length, int midi, double force, double pan, Noise& human) {
  const double f = hz(midi), seconds = length * kBeat + 0.5;
  const double late = 0.006 * human.unit();
  double pm = 0, pc = 0, pb = 0;
  play(track, beat + late / kBeat, seconds, pan, [&, f, seconds](double t) {
    pc += kTau * f / kRate;
    pm += kTau * f * 1.0007 / kRate;
    pb += kTau * f * 7.02 / kRate;
    const double hold = t < length * kBeat ? 1 : std::exp(-(t - length * kBeat) / 0.12);
    const double body = std::exp(-t / (1.9 - 0.008 * midi)), index = force * 1.5 * std::exp(-t / 0.28) + 0.22;
    const double attack = std::min(1.0, t / 0.002), tremolo = 1 + 0.10 * std::sin(kTau * 4.1 * t + midi);
    return attack * hold * tremolo * force *
           (0.30 * body * std::sin(pc + index * std::sin(pm)) + 0.035 * force * std::exp(-t / 0.09) * std::sin(pb)) *
           std::min(1.0, (seconds - t) / 0.02);
  });
}

/// Plucked string (K. Karplus, A. Strong 1983, with the fractional tuning of D. Jaffe, J. Smith 1983).
void pluck(Track& track, double beat, double seconds, int midi, double force, double pan, Noise& noise) {
  const double period = kRate / hz(midi) - 0.5;
  const auto whole = static_cast<std::size_t>(period);
  const double fraction = period - static_cast<double>(whole), c = (1 - fraction) / (1 + fraction);
  std::vector<double> line(whole + 1);
  double low = 0;
  for (double& v : line) {
    low += (0.38 + 0.55 * force) * (noise.next() - low);
    v = low * force;
  }
  std::size_t at = 0;
  double last = 0, allIn = 0, allOut = 0;
  const double keep = std::pow(10.0, -3.0 / (hz(midi) * (1.5 + (76 - midi) * 0.03)));
  play(track, beat, seconds, pan, [&](double t) {
    const double v = line[at], average = 0.5 * (v + last);
    last = v;
    allOut = c * (average - allOut) + allIn;
    allIn = average;
    line[at] = allOut * keep;
    at = (at + 1) % line.size();
    return v * std::min(1.0, (seconds - t) / 0.03);
  });
}

double swing(int sixteenth) {
  return sixteenth % 2 ? 0.25 + 0.025 : 0;
}

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

} // namespace

Track playKeys() {
  Track track;
  Noise human(21);
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const Chord& c = chordAt(bar);
    const double b = 4.0 * bar;
    const auto chord = [&](double at, double length, double force) {
      for (std::size_t k = 0; k < c.voicing.size(); ++k)
        strike(track, b + at + 0.012 * static_cast<double>(k), length, c.voicing[k],
               force * (k + 1 == c.voicing.size() ? 1.0 : 0.82), -0.35 + 0.22 * static_cast<double>(k), human);
    };
    switch (s.part) {
    case Part::intro:
      chord(0, 3.8, 0.55);
      if (bar % 2) chord(2.5, 1.3, 0.4);
      break;
    case Part::verse:
      chord(0, 2.3, 0.6);
      chord(2.5, 1.4, 0.48);
      break;
    case Part::lift:
      if (bar == 31) {
        chord(0, 1.9, 0.85);
      } else {
        chord(0, 1.4, 0.65);
        chord(1.5, 1.4, 0.58);
        chord(3, 0.9, 0.6);
      }
      break;
    case Part::chorus:
      chord(0, 1.4, 0.85);
      chord(1.5, 0.9, 0.7);
      chord(2.5, 1.4, 0.75);
      break;
    case Part::rest:
      chord(0, 3.6, 0.42);
      break;
    case Part::last:
      chord(0, bar == 59 ? 6 : 2.4, 0.6);
      if (bar < 58) chord(2.5, 1.4, 0.45);
      break;
    }
  }
  track.highPass(120);
  track.room(0.22, 1.3, 4200, 0.012);
  track.glue(0.8, decibels(-5));
  return track;
}

Track playStrings() {
  Track track;
  Noise noise(31);
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    const Chord& c = chordAt(bar);
    const std::vector<int> tones = {c.voicing[0] + 12, c.voicing[2] + 12, c.voicing[1] + 12, c.voicing[3] + 12,
                                    c.voicing[2] + 12, c.voicing[1] + 24, c.voicing[3] + 12, c.voicing[2] + 12};
    const bool sixteenths = s.part == Part::chorus || (s.part == Part::lift && within >= 4);
    if (s.part == Part::intro && within < 4) continue;
    if (bar == kBars - 1) {
      for (int k = 0; k < 4; ++k)
        pluck(track, 4.0 * bar + 0.25 * k, 3.0, c.voicing[static_cast<std::size_t>(k)] + 12, 0.5, 0.3, noise);
      continue;
    }
    const int steps = bar == 31 ? 4 : 8;
    for (int k = 0; k < steps; ++k) {
      if (s.part == Part::verse && (k == 3 || k == 6) && within % 2 == 0) continue; // it breathes too
      if (s.part == Part::rest && k % 2) continue;
      const double force = (k % 4 == 0 ? 0.75 : 0.5) * (s.part == Part::chorus ? 1.0
                                                        : s.part == Part::rest ? 0.6
                                                                               : 0.8);
      pluck(track, 4.0 * bar + 0.5 * k, 1.3, tones[static_cast<std::size_t>(k)], force, 0.42 + 0.15 * std::sin(k * 1.7),
            noise);
      if (sixteenths && k % 2)
        pluck(track, 4.0 * bar + 0.5 * k + 0.25, 0.7, tones[static_cast<std::size_t>((k + 3) % 8)], 0.35, 0.55, noise);
    }
  }
  track.highPass(200);
  track.room(0.20, 1.1, 5000, 0.010);
  track.glue(0.9, decibels(-6));
  return track;
}

Track playBass() {
  Track track;
  Noise human(41);
  const auto note = [&](double beat, double length, int midi, double force) {
    const double f = hz(midi), seconds = length * kBeat;
    double p = 0;
    int count = 0;
    Filter soft;
    play(track, beat, seconds + 0.03, 0, [&, f, seconds](double t) {
      p += kTau * f / kRate;
      if (count++ % 32 == 0) soft.set(180 + 700 * force * std::exp(-t / 0.12), 0.8);
      double bright = 0, s0 = 0, s1 = std::sin(p);
      const double base = s1, c = 2 * std::cos(p);
      for (int k = 2; k <= 9; ++k) { // Chebyshev recurrence
        const double s2 = c * s1 - s0;
        s0 = s1;
        s1 = s2;
        bright += s2 / k;
      }
      const double body = base + 0.35 * soft.step(bright).low;
      const double release = std::clamp((seconds + 0.03 - t) / 0.035, 0.0, 1.0);
      return 0.6 * force * std::tanh(1.3 * body) * std::min(1.0, t / 0.004) * (0.72 + 0.28 * std::exp(-t / 0.2)) *
             release;
    });
  };
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int root = chordAt(bar).bass, fifth = root + 7;
    const double b = 4.0 * bar;
    switch (s.part) {
    case Part::intro:
      break;
    case Part::verse:
      note(b, 1.6, root, 0.85);
      note(b + 1.75, 0.6, root, 0.6);
      note(b + 2.5, 1.2, bar % 4 == 3 ? fifth : root, 0.75);
      break;
    case Part::lift:
      if (bar == 31) {
        note(b, 1.9, root, 0.95);
        break;
      }
      for (int k = 0; k < 8; ++k) note(b + 0.5 * k, 0.42, root, k % 2 ? 0.6 : 0.85);
      break;
    case Part::chorus:
      note(b, 1.35, root, 0.95);
      note(b + 1.5, 0.85, root, 0.8);
      note(b + 2.5, 0.9, fifth, 0.8);
      note(b + 3.5, 0.45, bar % 2 ? root + 10 : root, 0.7);
      break;
    case Part::rest:
      if (bar % 2 == 0) note(b, 7.0, root, 0.6);
      break;
    case Part::last:
      note(b, bar == 59 ? 5 : 2.3, root, 0.75);
      if (bar < 58) note(b + 2.5, 1.3, root, 0.6);
      break;
    }
  }
  // The bass makes room for the kick, as a mixer would set it.
  for (int bar = 0; bar < kBars; ++bar)
    for (const double k : kickBeats(bar)) {
      const auto first = std::llround((4.0 * bar + k) * kBeat * kRate);
      for (std::int64_t i = 0; i < static_cast<std::int64_t>(0.18 * kRate); ++i) {
        if (first + i >= track.sound.frames()) break;
        const double t = static_cast<double>(i) / kRate;
        const auto g = static_cast<float>(1 - 0.55 * std::exp(-t / 0.05) * std::min(1.0, t / 0.003));
        track.sound.left()[first + i] *= g;
        track.sound.right()[first + i] *= g;
      }
    }
  track.glue(1.1, decibels(-6));
  return track;
}

Track playDrums() {
  Track track;
  Noise noise(51);
  const auto kick = [&](double beat, double force) {
    double p = 0;
    play(track, beat, 0.38, 0, [&](double t) {
      const double f = 47 + 120 * std::exp(-t / 0.028);
      p += kTau * f / kRate;
      return force * (std::sin(p) * std::exp(-t / 0.14) + 0.25 * noise.next() * std::exp(-t / 0.003)) *
             std::min(1.0, (0.38 - t) / 0.02);
    });
  };
  const auto snare = [&](double beat, double force, bool rim) {
    Filter band, top;
    band.set(rim ? 2300 : 1900, 0.7);
    top.set(5200, 0.7);
    double p = 0;
    play(track, beat, 0.32, 0.06, [&](double t) {
      const double f = rim ? 420 : 186 + 60 * std::exp(-t / 0.02);
      p += kTau * f / kRate;
      const double n = noise.next();
      const double skin = std::sin(p) * std::exp(-t / (rim ? 0.02 : 0.075));
      const double wires = (0.9 * band.step(n).band + 0.5 * top.step(n).high) * std::exp(-t / (rim ? 0.018 : 0.105));
      return force * (0.5 * skin + 0.62 * wires) * std::min(1.0, t / 0.0006) * std::min(1.0, (0.32 - t) / 0.02);
    });
  };
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    const double b = 4.0 * bar;
    for (const double k : kickBeats(bar)) kick(b + k, s.part == Part::chorus ? 0.95 : 0.85);
    if (s.part == Part::verse && within >= 4) {
      snare(b + 1, 0.45, true);
      snare(b + 3, 0.5, true);
    }
    if (s.part == Part::lift && within < 7) {
      snare(b + 1, 0.6, false);
      snare(b + 3, 0.65, false);
      if (within == 6)
        for (int k = 0; k < 8; ++k) snare(b + 2 + 0.25 * k, 0.25 + 0.06 * k, false);
    }
    if (bar == 31) snare(b + 1.5, 0.8, false); // the last hit before the drop
    if (s.part == Part::chorus) {
      snare(b + 1, 0.85, false);
      snare(b + 3, 0.88, false);
      snare(b + 2.25 + 0.02, 0.16, false);
      if (within % 4 == 3) snare(b + 3.75, 0.4, false);
    }
    if (s.part == Part::last && within < 4) snare(b + 3, 0.4, true);
  }
  track.room(0.10, 0.55, 6000, 0.004);
  track.glue(1.15, decibels(-3));
  return track;
}

Track playShaker() {
  Track track;
  Noise noise(61), human(62);
  const auto tick = [&](double beat, double force, double decay, double pan, double cutoff) {
    Filter f;
    f.set(cutoff, 0.9);
    play(track, beat, decay * 6, pan, [&](double t) {
      return force * f.step(noise.next()).high * std::min(1.0, t / 0.004) * std::exp(-t / decay) *
             std::min(1.0, (decay * 6 - t) / 0.01);
    });
  };
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    if ((s.part == Part::intro && within < 4) || s.part == Part::rest || bar >= 58) continue;
    const double b = 4.0 * bar;
    const int steps = bar == 31 ? 8 : 16;
    for (int k = 0; k < steps; ++k) {
      const double force = (k % 4 == 2 ? 0.34
                            : k % 2    ? 0.13
                                       : 0.22) *
                           (0.85 + 0.3 * human.unit()) * (s.part == Part::chorus ? 1.15 : 0.9);
      tick(b + 0.5 * (k / 2) + swing(k), force, 0.022, -0.45, 6500);
    }
    if (s.part == Part::chorus || (s.part == Part::lift && within >= 4 && bar != 31))
      for (int k = 0; k < 4; ++k) tick(b + k + 0.5, 0.34, 0.075, 0.3, 8200); // open, off the beat
  }
  track.glue(1.0, decibels(-10));
  return track;
}

Track playTexture() {
  Track track;
  Noise noise(71);
  const auto& harmonyBars = kBars;
  // A slow choir of detuned partials that follows the harmony, two voices each side.
  for (int bar = 0; bar < harmonyBars; ++bar) {
    const Section& s = sectionAt(bar);
    const Chord& c = chordAt(bar);
    const double level = s.part == Part::intro    ? 0.8
                         : s.part == Part::rest   ? 1.0
                         : s.part == Part::chorus ? 0.55
                         : s.part == Part::lift   ? 0.5
                                                  : 0.42;
    const double length = bar == 31 ? 2.0 : 4.0, seconds = length * kBeat + 0.9;
    for (std::size_t k = 0; k < c.voicing.size(); ++k)
      for (const int side : {-1, 1}) {
        const double f = hz(c.voicing[k] + (k == 3 ? 12 : 0)) * (1 + side * 0.0019);
        double p = 0.7 * static_cast<double>(k) + side;
        play(track, 4.0 * bar, seconds, 0.7 * side, [&, f, seconds](double t) {
          p += kTau * f / kRate;
          const double rise = std::min(1.0, t / 0.5), fall = std::clamp((seconds - t) / 0.9, 0.0, 1.0);
          const double s1 = std::sin(p), s2 = 2 * s1 * std::cos(p), s3 = s1 * (3 - 4 * s1 * s1); // multiple angles
          return 0.05 * level * rise * fall * (s1 + 0.32 * s2 + 0.12 * s3);
        });
      }
  }
  // Water against the hull: filtered noise that comes and goes, away from the lows.
  Filter wave, wave2;
  for (std::int64_t i = 0; i < track.sound.frames(); ++i) {
    const double t = static_cast<double>(i) / kRate;
    if (i % 64 == 0) {
      wave.set(900 + 500 * std::sin(kTau * 0.11 * t), 0.6);
      wave2.set(1100 + 450 * std::sin(kTau * 0.09 * t + 2), 0.6);
    }
    const double swell = 0.5 + 0.5 * std::sin(kTau * 0.13 * t - 1.2),
                 swell2 = 0.5 + 0.5 * std::sin(kTau * 0.17 * t + 0.4);
    const double ends = std::min({1.0, t / 3, (kSeconds - t) / 4});
    const double bar = t / kBeat / 4, hush = bar > 31.5 && bar < 32 ? 0.15 : 1;
    track.sound.left()[i] += static_cast<float>(0.035 * hush * ends * swell * swell * wave.step(noise.next()).band);
    track.sound.right()[i] += static_cast<float>(0.035 * hush * ends * swell2 * swell2 * wave2.step(noise.next()).band);
  }
  track.highPass(140);
  track.room(0.35, 2.2, 3500, 0.02);
  track.glue(1.0, decibels(-9));
  return track;
}

} // namespace lantern
