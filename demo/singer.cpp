// The singer: folds (voice_source.h), throat and mouth (a chain of resonances, D. H. Klatt, "Software for a
// cascade/parallel formant synthesizer", JASA 67 (1980)), breath and consonants, led by a score of gestures that are
// drawn first, a thousand times a second, and then sung without a break.
#include "groove.h"
#include "instruments.h"
#include "voice_source.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace lantern {
namespace {

constexpr int kFormants = 5;
struct Mouth {
  std::array<double, kFormants> hertz, width;
};
// A young woman's vowels, sung; the upper three stand closer than in speech, which carries.
constexpr Mouth kA{{860, 1320, 2820, 3650, 4700}, {90, 110, 130, 190, 260}};
constexpr Mouth kE{{560, 2080, 2880, 3700, 4700}, {70, 110, 140, 190, 260}};
constexpr Mouth kI{{370, 2550, 3150, 3750, 4700}, {60, 110, 150, 190, 260}};
constexpr Mouth kO{{540, 930, 2760, 3600, 4700}, {75, 90, 130, 190, 260}};
constexpr Mouth kU{{400, 820, 2660, 3550, 4700}, {70, 90, 140, 200, 280}};
constexpr Mouth kHum{{270, 1150, 2300, 3400, 4600}, {90, 180, 280, 350, 450}};    // m, n: through the nose
constexpr Mouth kTongue{{360, 1250, 2950, 3600, 4600}, {80, 140, 200, 260, 350}}; // l
constexpr Mouth kTeeth{{330, 1850, 2800, 3700, 4700}, {120, 160, 220, 300, 350}}; // d, s

const Mouth& mouthOf(char c) {
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

/// Where everything is to be at one moment.
struct Gesture {
  double midi = 60;
  double level = 0;   // of the voice, 0..1
  double rd = 1.4;    // how the folds close
  double breath = 0;  // noise through the mouth
  double hiss = 0;    // s
  double burst = 0;   // d
  double vibrato = 0; // cents
  Mouth mouth = kA;
};
constexpr std::int64_t kStep = 48; // frames of a gesture

/// One who sings: the same notes, never the same way.
struct Singer {
  std::uint64_t seed;
  double late;  // seconds, standard deviation
  double cents; // out of tune, standard deviation
  double size;  // of the throat: formants times this
  double vibratoHz;
  bool leads; // breathes audibly
};

/// Drawn over a stretch of time: from, to in seconds.
template <class Draw> void draw(std::vector<Gesture>& score, double from, double to, const Draw& how) {
  const double perSecond = kRate / kStep;
  const auto first = std::max<std::int64_t>(0, std::llround(from * perSecond)),
             last = std::min(static_cast<std::int64_t>(score.size()),
                             static_cast<std::int64_t>(std::llround(to * perSecond)));
  for (std::int64_t i = first; i < last; ++i)
    how(score[static_cast<std::size_t>(i)],
        std::clamp((static_cast<double>(i) / perSecond - from) / std::max(to - from, 1e-3), 0.0, 1.0));
}

double softly(double u) {
  return 0.5 - 0.5 * std::cos(std::numbers::pi * std::clamp(u, 0.0, 1.0));
}

/// A consonant takes so long before its vowel, seconds.
double lengthOf(char onset) {
  switch (onset) {
  case 'n':
  case 'm':
    return 0.085;
  case 'l':
    return 0.07;
  case 'd':
    return 0.055;
  case 's':
    return 0.13;
  case 'h':
    return 0.075;
  default:
    return 0;
  }
}

/// A note as it is begun: from when, how long the consonant before it, how loud and firm the voice.
struct Beginning {
  double from, before, loud, firm;
  bool begins; // a phrase
};

/// The consonant before a vowel.
void drawOnset(std::vector<Gesture>& score, const Sung& s, const Beginning& n) {
  switch (s.onset) {
  case 'n':
  case 'm':
    draw(score, n.from - n.before, n.from - 0.012, [&](Gesture& g, double u) {
      g.level = 0.42 * n.loud * softly((n.begins ? u : 0.5 + u) * 2);
      g.rd = n.firm + 0.5;
      g.mouth = kHum;
      g.mouth.hertz[1] = s.onset == 'm' ? 1000 : 1500;
    });
    break;
  case 'l':
    draw(score, n.from - n.before, n.from - 0.01, [&](Gesture& g, double u) {
      g.level = 0.5 * n.loud * softly((n.begins ? u : 0.5 + u) * 2);
      g.rd = n.firm + 0.3;
      g.mouth = kTongue;
    });
    break;
  case 'd':
    draw(score, n.from - n.before, n.from - 0.008, [&](Gesture& g, double) {
      g.level = n.begins ? 0 : 0.06 * n.loud; // behind the closed mouth
      g.rd = 2.4;
      g.breath = 0;
      g.mouth = kTeeth;
    });
    draw(score, n.from - 0.008, n.from + 0.012, [&](Gesture& g, double u) {
      g.burst = 0.09 * n.loud * (1 - u);
      g.mouth = kTeeth;
    });
    break;
  case 's':
    draw(score, n.from - n.before - 0.01, n.from - 0.01, [&](Gesture& g, double u) {
      g.level = g.breath = 0;
      g.hiss = 0.30 * n.loud * std::sin(std::numbers::pi * std::clamp(u, 0.0, 1.0));
      g.mouth = kTeeth;
    });
    break;
  case 'h':
    draw(score, n.from - n.before, n.from + 0.02, [&](Gesture& g, double u) {
      g.level = n.begins ? 0 : n.loud * 0.3 * (1 - u);
      g.rd = 2.5;
      g.breath = 0.34 * n.loud * std::sin(std::numbers::pi * std::min(1.0, 0.1 + u));
      g.mouth = mouthOf(s.vowel);
    });
    break;
  default:
    break;
  }
}

/// What follows the will: pitch as a mass on a spring, a little past its goal (T. Saitou et al., "Speech-to-singing
/// synthesis", WASPAA 2007: 34.8 rad/s, damping 0.54), mouth and level at their own pace.
void followTheWill(std::vector<Gesture>& score, double first, const Wander& tune, const Singer& who) {
  Noise chance(who.seed + 2);
  double midi = first, speed = 0, drift = 0, rate = 0;
  double turn = kTau * chance.unit();
  Gesture now = score.front();
  for (std::size_t i = 0; i < score.size(); ++i) {
    Gesture& g = score[i];
    constexpr double dt = static_cast<double>(kStep) / kRate, w = 42, damping = 0.62;
    for (int k = 0; k < 2; ++k) {
      speed += dt / 2 * (w * w * (g.midi - midi) - 2 * damping * w * speed);
      midi += dt / 2 * speed;
    }
    drift += 0.04 * (chance.next() * 0.35 - drift); // the last unsteadiness, 6 Hz and below
    rate += 0.01 * (chance.next() - rate);
    turn += kTau * dt * who.vibratoHz * (1 + 0.5 * rate);
    now.vibrato += 0.02 * (g.vibrato - now.vibrato);
    const double beat = static_cast<double>(i) * dt / kBeat;
    g.midi = midi + drift * 0.4 + tune.at(beat) + now.vibrato / 100 * std::sin(turn);
    const auto follow = [](double& x, double goal, double seconds) { x += (1 - std::exp(-dt / seconds)) * (goal - x); };
    follow(now.level, g.level, g.level > now.level ? 0.012 : 0.018);
    follow(now.rd, g.rd, 0.03);
    follow(now.breath, g.breath, 0.012);
    follow(now.hiss, g.hiss, 0.008);
    follow(now.burst, g.burst, 0.002);
    for (std::size_t k = 0; k < kFormants; ++k) {
      follow(now.mouth.hertz[k], g.mouth.hertz[k], 0.018);
      follow(now.mouth.width[k], g.mouth.width[k], 0.018);
    }
    g.level = now.level * (1 + 0.5 * drift);
    g.rd = now.rd;
    g.breath = now.breath;
    g.hiss = now.hiss;
    g.burst = now.burst;
    g.mouth = now.mouth;
  }
}

std::vector<Gesture> gestures(const std::vector<Sung>& notes, const Singer& who) {
  std::vector<Gesture> score(static_cast<std::size_t>(kSeconds * kRate / kStep) + 1);
  const Wander time(who.seed, who.late), tune(who.seed + 1, who.cents / 100, 0.1);
  const auto beginOf = [&](const Sung& s) { return s.at * kBeat + time.at(s.at); };
  double silentSince = -10;
  for (std::size_t i = 0; i < notes.size(); ++i) {
    const Sung& s = notes[i];
    const Sung* next = i + 1 < notes.size() ? &notes[i + 1] : nullptr;
    const bool tied = s.onset == ' ', begins = i == 0 || s.at - (notes[i - 1].at + notes[i - 1].length) > 0.3;
    const bool flowsOn = next && next->at - (s.at + s.length) <= 0.3;
    const double from = beginOf(s), before = lengthOf(s.onset);
    const double nextFrom = next ? beginOf(*next) - lengthOf(next->onset) : 1e9;
    const double held = s.length * kBeat, to = flowsOn ? nextFrom : std::min(from + held, nextFrom);
    const Mouth& vowel = mouthOf(s.vowel);
    const double loud = decibels(-16 * (1 - s.force)), firm = 2.25 - 1.25 * s.force;

    // Where she goes for the note; the way there is the throat's (see the filters below).
    draw(score, from - before - (begins ? 0.05 : 0.02), 1e9, [&](Gesture& g, double) { g.midi = s.midi; });
    if (begins && s.onset != 'd') // from below
      draw(score, from - before - 0.05, from + 0.03, [&](Gesture& g, double) { g.midi = s.midi - 0.9; });

    // The vowel swells a little and lets go.
    draw(score, from, to, [&](Gesture& g, double u) {
      const double arch = std::sin(std::numbers::pi * (0.28 + 0.72 * u));
      g.level = loud * (0.6 + 0.4 * arch);
      g.rd = firm - 0.15 * arch + (u > 0.8 && !flowsOn ? 2.0 * (u - 0.8) : 0);
      g.breath = 0.055 + 0.05 * (1 - s.force);
      g.mouth = vowel;
    });
    if (held > 0.55) // long notes are alive
      draw(score, from, to, [&](Gesture& g, double u) { g.vibrato = 46 * softly((u * (to - from) - 0.26) / 0.45); });
    if (!flowsOn) {
      const double fall = std::min(0.16, 0.3 * held);
      draw(score, to - 0.3 * fall, to + 0.7 * fall, [&](Gesture& g, double u) {
        g.level = loud * 0.6 * (1 - softly(u));
        g.rd = firm + 0.9 * u;
        g.breath = 0.11 * (1 - u * u);
        g.mouth = vowel;
      });
      draw(score, to, to + fall, [&](Gesture& g, double u) { g.midi = s.midi - 0.35 * u; });
      draw(score, to + 0.7 * fall, 1e9, [&](Gesture& g, double) { g.level = g.breath = g.vibrato = 0; });
    }

    drawOnset(score, s, {from, before, loud, firm, begins});

    // Breath before a phrase, drawn in through an open mouth.
    const double sings = from - before, room = sings - silentSince;
    if (begins && who.leads && !tied && room > 0.75) {
      const double takes = std::min(0.34, 0.45 * room);
      draw(score, sings - takes - 0.07, sings - 0.07, [&](Gesture& g, double u) {
        g.breath = 0.002 * std::pow(std::sin(std::numbers::pi * std::pow(u, 1.4)), 2) * (0.6 + 0.4 * s.force);
        g.mouth = kA;
        g.mouth.hertz[0] = 700;
        g.mouth.hertz[1] = 1750;
      });
    }
    if (!flowsOn) silentSince = to + 0.15;
  }

  followTheWill(score, notes.front().midi, tune, who);
  return score;
}

/// One resonance of the throat: 1 at 0 Hz, a peak at its frequency. It moves without a click.
class Resonance {
 public:
  void set(double hertz, double width) {
    c_ = goalC_ = -std::exp(-kTau * width / kRate);
    b_ = goalB_ = 2 * std::exp(-std::numbers::pi * width / kRate) * std::cos(kTau * hertz / kRate);
  }
  /// To be there in `frames` steps.
  void move(double hertz, double width, int frames) {
    const double b = goalB_, c = goalC_;
    set(hertz, width);
    b_ = b;
    c_ = c;
    stepB_ = (goalB_ - b) / frames;
    stepC_ = (goalC_ - c) / frames;
  }
  double step(double x) {
    b_ += stepB_;
    c_ += stepC_;
    const double y = (1 - b_ - c_) * x + b_ * y1_ + c_ * y2_;
    y2_ = y1_;
    y1_ = y;
    return y;
  }

 private:
  double b_ = 0, c_ = 0, goalB_ = 0, goalC_ = 0, stepB_ = 0, stepC_ = 0, y1_ = 0, y2_ = 0;
};

std::vector<double> sing(const std::vector<Sung>& notes, const Singer& who, const VoiceSource& folds) {
  const std::vector<Gesture> score = gestures(notes, who);
  const auto frames = static_cast<std::int64_t>(kSeconds * kRate);
  std::vector<double> out(static_cast<std::size_t>(frames));
  Noise noise(who.seed + 3), jitter(who.seed + 4);
  std::array<Resonance, kFormants> mouth;
  // Above them a throat of one width has one resonance every kilohertz, ever wider.
  std::array<Resonance, 10> upper;
  for (std::size_t k = 0; k < upper.size(); ++k)
    upper[k].set((5800 + 1080 * static_cast<double>(k)) * who.size, 380 + 90 * static_cast<double>(k));
  Filter rough(900, 0.7), hissing(7600, 1.1), hissing2(10500, 0.9), bursting(4200, 0.9);
  for (std::size_t k = 0; k < kFormants; ++k) mouth[k].set(kA.hertz[k], kA.width[k]);
  double phase = 0, period = 1;
  for (std::int64_t i = 0; i < frames; ++i) {
    const auto at = static_cast<std::size_t>(i / kStep);
    const Gesture &g = score[at], &then = score[std::min(at + 1, score.size() - 1)];
    const double u = static_cast<double>(i % kStep) / kStep;
    const auto between = [u](double a, double b) { return a + (b - a) * u; };
    const double f0 = hz(between(g.midi, then.midi)), level = between(g.level, then.level);
    const double breath = between(g.breath, then.breath), hiss = between(g.hiss, then.hiss);
    if (level < 1e-6 && breath < 1e-6 && hiss < 1e-6 && g.burst < 1e-6) {
      noise.next(); // what rings on in the throat is under everything
      continue;
    }
    phase += f0 / kRate * period;
    if (phase >= 1) { // no two periods are quite the same
      phase -= 1;
      period = 1 + 0.004 * jitter.next();
    }
    if (i % 16 == 0)
      for (std::size_t k = 0; k < kFormants; ++k) {
        const double goal = between(g.mouth.hertz[k], then.mouth.hertz[k]) * who.size;
        // A trained voice opens its mouth so that the first resonance is never under the note.
        mouth[k].move(k == 0 ? std::max(goal, f0 * 1.04) : goal, between(g.mouth.width[k], then.mouth.width[k]), 16);
      }
    const double rd = between(g.rd, then.rd), n = noise.next();
    const double puffs = 0.25 + 0.75 * (level > 0.01 ? VoiceSource::open(phase, rd) : 1.0);
    double x = level * folds.at(phase, rd, f0) +
               breath * (level > 0.01 ? 0.35 + 0.65 * level : 1) * puffs * rough.step(n).high;
    for (Resonance& r : mouth) x = r.step(x);
    for (Resonance& r : upper) x = r.step(x);
    x += hiss * (hissing.step(n).band + 0.8 * hissing2.step(n).high) +
         between(g.burst, then.burst) * bursting.step(n).band;
    out[static_cast<std::size_t>(i)] = x;
  }
  return out;
}

} // namespace

Track singVoice() {
  const VoiceSource folds;
  Track track;
  const auto put = [&](const std::vector<double>& voice, double gain, double pan) {
    for (std::size_t i = 0; i < voice.size(); ++i) track.add(static_cast<std::int64_t>(i), gain * voice[i], pan);
  };
  put(sing(melody(), {11, 0.010, 7, 1.0, 5.4, true}, folds), 1, 0);
  // Two more takes for the chorus, wide.
  std::vector<Sung> chorus;
  for (const Sung& s : melody())
    if (sectionAt(static_cast<int>(s.at / 4)).part == Part::chorus) chorus.push_back(s);
  put(sing(chorus, {111, 0.014, 9, 0.985, 5.1, false}, folds), 0.55, -0.95);
  put(sing(chorus, {211, 0.014, 9, 1.02, 5.7, false}, folds), 0.55, 0.95);
  track.highPass(140);
  track.bell(650, -6.5, 1);
  track.bell(1240, -12, 1.3);
  track.bell(2900, 9, 0.5);
  track.highShelf(7000, 13);
  track.highShelf(11000, 20.5);
  track.level(-16);
  track.compress(-18, 2, 0.006, 0.15);
  track.room(0.11, 0.9, 7500, 0.022);
  track.level(-21.5);
  return track;
}

} // namespace lantern
