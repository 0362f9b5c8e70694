// The wordless voice: additive, harmonic by harmonic under a moving formant envelope, so that nothing aliases.
// Formant centres, levels and widths are the alto table that circulates with the Csound manual.
#include "composition.h"
#include "instruments.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace lantern {
namespace {

struct Vowel {
  double centre[5], level[5], width[5];
};
constexpr Vowel kA{{800, 1150, 2800, 3500, 4950}, {0, -4, -20, -30, -50}, {80, 90, 120, 130, 140}};
constexpr Vowel kE{{400, 1600, 2700, 3300, 4950}, {0, -16, -24, -30, -55}, {60, 80, 120, 150, 200}};
constexpr Vowel kI{{350, 1700, 2700, 3700, 4950}, {0, -16, -26, -32, -58}, {50, 100, 120, 150, 200}};
constexpr Vowel kO{{450, 800, 2830, 3500, 4950}, {0, -9, -20, -28, -55}, {70, 80, 100, 130, 135}};
constexpr Vowel kU{{325, 700, 2530, 3500, 4950}, {0, -12, -28, -38, -62}, {50, 60, 170, 180, 200}};
constexpr Vowel kNasal{{260, 1050, 2300, 3200, 4500}, {0, -24, -34, -44, -64}, {60, 120, 200, 250, 300}};

const Vowel& vowel(char c) {
  switch (c) {
  case 'e':
    return kE;
  case 'i':
    return kI;
  case 'o':
    return kO;
  case 'u':
    return kU;
  default:
    return kA;
  }
}

double envelopeAt(const Vowel& v, double f, double f0) {
  double sum = 0;
  for (int k = 0; k < 5; ++k) {
    // A trained voice lifts its first formant to the note.
    const double centre = k == 0 ? std::max(v.centre[0], f0 * 1.02) : v.centre[k];
    const double x = (f - centre) / (v.width[k] * 1.1);
    sum += decibels(v.level[k]) / std::sqrt(1 + x * x);
  }
  return sum;
}

constexpr int kHarmonics = 40;
constexpr std::int64_t kStep = 96;

/// One syllable with its glide from the note before.
void sing(Track& track, const Sung& s, const Sung* before, const Sung* after, Noise& noise, double cents, double pan,
          double gain) {
  const bool tied = s.onset == ' ' && before;
  const bool tiedOn = after && after->onset == ' ' && after->at - (s.at + s.length) < 0.05;
  const double seconds = s.length * kBeat + (tiedOn ? 0.0 : 0.11);
  const auto first = std::llround(s.at * kBeat * kRate);
  const auto n = static_cast<std::int64_t>(seconds * kRate);
  const double consonant = s.onset == 'n' || s.onset == 'm' ? 0.075
                           : s.onset == 'l'                 ? 0.045
                           : s.onset == 'd'                 ? 0.02
                                                            : 0;
  const double fromMidi = tied ? before->midi : s.midi - (s.onset == 'h' || s.onset == 'l' ? 0.9 : 0.4);
  const double glide = tied ? 0.09 : 0.06;
  double phase = 0, amp[kHarmonics] = {}, goal[kHarmonics] = {}, wander = 0;
  Filter breath;
  breath.set(3200, 0.8);
  for (std::int64_t i = 0; i < n; ++i) {
    const double t = static_cast<double>(i) / kRate;
    if (i % kStep == 0) wander = 0.995 * wander + 0.005 * noise.next() * 30;
    const double vibrato =
        std::clamp((t - 0.28) / 0.35, 0.0, 1.0) * 0.26 * std::sin(2 * std::numbers::pi * 5.3 * t + 0.6);
    const double midi =
        s.midi + (fromMidi - s.midi) * std::exp(-t / glide * 2.2) + vibrato + wander * 0.05 + cents / 100;
    const double f0 = hz(midi);
    phase += 2 * std::numbers::pi * f0 / kRate;
    if (i % kStep == 0) {
      const Vowel& v = vowel(s.vowel);
      const double open = consonant > 0 ? std::clamp((t - consonant * 0.5) / (consonant * 0.6), 0.0, 1.0) : 1;
      const double bright = 0.75 + 0.25 * s.force;
      for (int k = 0; k < kHarmonics; ++k) {
        const double f = f0 * (k + 1);
        const double tilt = std::pow(k + 1.0, -0.62 / bright) * (f < 11000 ? 1 : 0);
        goal[k] = tilt * (envelopeAt(v, f, f0) * open + 0.45 * envelopeAt(kNasal, f, f0) * (1 - open));
        if (i == 0) amp[k] = goal[k];
      }
    }
    // Sum of the harmonics by the Chebyshev recurrence.
    const int count = std::min(kHarmonics, static_cast<int>(11000 / f0) + 1);
    const double c = 2 * std::cos(phase);
    double s0 = 0, s1 = std::sin(phase), sum = 0;
    for (int k = 0; k < count; ++k) {
      amp[k] += (goal[k] - amp[k]) * 0.012;
      sum += amp[k] * s1;
      const double s2 = c * s1 - s0;
      s0 = s1;
      s1 = s2;
    }
    const double attack = tied             ? std::min(1.0, t / 0.012)
                          : s.onset == 'd' ? std::min(1.0, t / 0.008)
                                           : 1 - std::exp(-t / 0.022);
    const double release = tiedOn ? std::min(1.0, (seconds - t) / 0.012) : std::clamp((seconds - t) / 0.14, 0.0, 1.0);
    const double swell = 0.82 + 0.18 * std::sin(std::numbers::pi * std::clamp(t / seconds, 0.0, 1.0));
    const double air = breath.step(noise.next()).band * (0.012 + (s.onset == 'h' ? 0.05 * std::exp(-t / 0.05) : 0));
    track.add(first + i, gain * s.force * (sum * swell + air) * attack * release * release * (3 - 2 * release), pan);
  }
  if (s.onset == 's' || s.onset == 'd') { // the hard consonant, before the beat
    const double length = s.onset == 's' ? 0.09 : 0.018, level = s.onset == 's' ? 0.16 : 0.22;
    Filter hiss;
    hiss.set(s.onset == 's' ? 7000 : 3200, 1.2);
    const auto lead = static_cast<std::int64_t>(length * kRate);
    for (std::int64_t i = 0; i < lead; ++i) {
      const double u = static_cast<double>(i) / static_cast<double>(lead);
      track.add(first - lead + i,
                gain * s.force * level * hiss.step(noise.next()).band * std::sin(std::numbers::pi * u), pan);
    }
  }
}

} // namespace

Track singVoice() {
  Track track;
  const auto& m = melody();
  Noise noise(11);
  for (std::size_t i = 0; i < m.size(); ++i) {
    const Sung* before = i > 0 ? &m[i - 1] : nullptr;
    const Sung* after = i + 1 < m.size() ? &m[i + 1] : nullptr;
    sing(track, m[i], before, after, noise, 0, 0, 1);
    const int bar = static_cast<int>(m[i].at / 4);
    if (sectionAt(bar).part == Part::chorus) { // doubled in the chorus, softly and wide
      Sung double1 = m[i], double2 = m[i];
      double1.at += 0.016;
      double2.at += 0.028;
      sing(track, double1, before, after, noise, 7, -0.75, 0.28);
      sing(track, double2, before, after, noise, -8, 0.75, 0.28);
    }
  }
  track.highPass(110);
  track.room(0.10, 0.7, 5200, 0.018);
  track.glue(0.9, decibels(-4));
  return track;
}

} // namespace lantern
