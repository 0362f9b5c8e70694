// Two plucked strings side by side, a little apart in tune and time, in front of one wooden body. The string: K.
// Karplus and A. Strong, "Digital synthesis of plucked-string and drum timbres", CMJ 7 (1983), in tune after D. Jaffe
// and J. Smith in the same volume; the body: its first resonances as modes.
#include "groove.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>

namespace lantern {
namespace {

void pluck(Track& track, double beat, double seconds, double midi, double force, double pan, Noise& noise) {
  const double period = kRate / hz(midi) - 0.5;
  const auto whole = static_cast<std::size_t>(period);
  const double fraction = period - static_cast<double>(whole), c = (1 - fraction) / (1 + fraction);
  std::vector<double> line(whole + 1);
  // What the finger leaves on the string: brighter when pulled harder, and without what has a node at the finger.
  double low = 0;
  for (double& v : line) {
    low += (0.30 + 0.6 * force) * (noise.next() - low);
    v = low * force;
  }
  const auto finger = line.size() / 7;
  for (std::size_t i = line.size(); i-- > finger;) line[i] -= 0.8 * line[i - finger];
  std::size_t at = 0;
  double last = 0, allIn = 0, allOut = 0;
  const double keep = std::pow(10.0, -3.0 / (hz(midi) * (1.7 + (76 - midi) * 0.03)));
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

/// The air in the box and its first plates, beside what comes straight from the string.
void body(Track& track) {
  for (float* s : {track.sound.left(), track.sound.right()}) {
    Mode modes[] = {Mode(212, 0.09, 0.030), Mode(318, 0.07, 0.022),   Mode(455, 0.06, 0.018),
                    Mode(690, 0.05, 0.014), Mode(1130, 0.035, 0.012), Mode(1720, 0.03, 0.010)};
    for (std::int64_t i = 0; i < track.frames(); ++i) {
      const double x = static_cast<double>(s[i]);
      double sum = 0.8 * x;
      for (Mode& m : modes) sum += m.step(x);
      s[i] = static_cast<float>(sum);
    }
  }
}

} // namespace

Track playStrings() {
  Track track;
  Noise left(31), right(32);
  const Wander touch(33, 0.08), apart(34, 0.004);
  const auto both = [&](int bar, double at, double seconds, int midi, double force) {
    const double beat = 4.0 * bar + at, f = force * (1 + touch.at(beat));
    pluck(track, follows(bar, at), seconds, midi - 0.03, f, -0.8, left);
    pluck(track, follows(bar, at) + (0.011 + apart.at(beat)) / kBeat, seconds, midi + 0.03, f * 0.97, 0.8, right);
  };
  for (int bar = 0; bar < kBars; ++bar) {
    const Section& s = sectionAt(bar);
    const int within = bar - s.firstBar;
    const Chord& c = chordAt(bar);
    const std::vector<int> tones = {c.voicing[0] + 12, c.voicing[2] + 12, c.voicing[1] + 12, c.voicing[3] + 12,
                                    c.voicing[2] + 12, c.voicing[1] + 24, c.voicing[3] + 12, c.voicing[2] + 12};
    const bool sixteenths = s.part == Part::chorus || (s.part == Part::lift && within >= 4);
    if (s.part == Part::intro && within < 4) continue;
    if (bar == kBars - 1) { // home, one after the other
      for (int k = 0; k < 4; ++k) both(bar, 0.25 * k, 3.0, c.voicing[static_cast<std::size_t>(k)] + 12, 0.5);
      continue;
    }
    const int steps = bar == 31 ? 4 : 8;
    for (int k = 0; k < steps; ++k) {
      if (s.part == Part::verse && (k == 3 || k == 6) && within % 2 == 0) continue; // it breathes too
      if (s.part == Part::rest && k % 2) continue;
      const double force = (k % 4 == 0 ? 0.8 : 0.55) * (s.part == Part::chorus ? 1.0
                                                        : s.part == Part::rest ? 0.75
                                                        : s.part == Part::lift ? 0.56
                                                                               : 0.64);
      both(bar, 0.5 * k, 1.3, tones[static_cast<std::size_t>(k)], force);
      if (sixteenths && k % 2) both(bar, 0.5 * k + 0.25, 0.7, tones[static_cast<std::size_t>((k + 3) % 8)], 0.4);
    }
  }
  body(track);
  track.highPass(200);
  track.room(0.14, 1.0, 6000, 0.010);
  track.normalise(decibels(-5));
  return track;
}

} // namespace lantern
