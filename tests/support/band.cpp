#include "test_support/band.h"

#include "dsp/denormals.h"
#include "dsp/measure/loudness.h"
#include "dsp/space/reverb.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ivrin::test {
namespace {

constexpr double kTau = 2 * std::numbers::pi;

double hertzOf(double note) {
  return 440 * std::exp2((note - 69) / 12);
}
double gainOf(double db) {
  return std::pow(10.0, db / 20);
}

/// A frequency as the cookbook's formulas take it: its cosine, and what its bandwidth makes of its sine.
struct Turn {
  double c, a;
};
/// Of R. Bristow-Johnson's cookbook: they differ in their numerators alone.
template <class Numerator> Biquad biquad(double hz, double q, double rate, Numerator numerator) {
  const double w = kTau * std::min(hz, 0.45 * rate) / rate;
  const Turn t{std::cos(w), std::sin(w) / (2 * q)};
  const auto [b0, b1, b2] = numerator(t);
  Biquad b;
  b.b0 = b0 / (1 + t.a);
  b.b1 = b1 / (1 + t.a);
  b.b2 = b2 / (1 + t.a);
  b.a1 = -2 * t.c / (1 + t.a);
  b.a2 = (1 - t.a) / (1 + t.a);
  return b;
}
using Three = std::array<double, 3>;
Biquad highPass(double hz, double q, double rate) {
  return biquad(hz, q, rate, [](Turn t) { return Three{(1 + t.c) / 2, -(1 + t.c), (1 + t.c) / 2}; });
}
Biquad bandPass(double hz, double q, double rate) {
  return biquad(hz, q, rate, [](Turn t) { return Three{t.a, 0, -t.a}; });
}

/// A saw without its sharpest corner (polynomial band-limited step, V. Välimäki and A. Huovilainen, 2007).
class Saw {
 public:
  explicit Saw(double phase = 0)
      : phase_(phase) {}
  double step(double hz, double rate) {
    const double d = hz / rate;
    phase_ += d;
    if (phase_ >= 1) phase_ -= 1;
    double v = 2 * phase_ - 1;
    if (phase_ < d) {
      const double t = phase_ / d;
      v -= t + t - t * t - 1;
    } else if (phase_ > 1 - d) {
      const double t = (phase_ - 1) / d;
      v -= t * t + t + t + 1;
    }
    return v;
  }

 private:
  double phase_;
};

struct Vowel {
  double f1, f2, f3;
};
Vowel vowelOf(char v) {
  switch (v) {
  case 'e':
    return {450, 1900, 2600};
  case 'i':
    return {300, 2200, 2900};
  case 'o':
    return {420, 850, 2500};
  case 'u':
    return {330, 750, 2300};
  default:
    return {730, 1150, 2550};
  }
}

} // namespace

Biquad lowPass(double hz, double q, double rate) {
  return biquad(hz, q, rate, [](Turn t) { return Three{(1 - t.c) / 2, 1 - t.c, (1 - t.c) / 2}; });
}

double noteOfScale(double root, int step, bool minor) {
  static constexpr int kMajor[] = {0, 2, 4, 5, 7, 9, 11}, kMinor[] = {0, 2, 3, 5, 7, 8, 10};
  return root + 12 * std::floor(step / 7.0) + (minor ? kMinor : kMajor)[((step % 7) + 7) % 7];
}

Part::Part(double seconds, double rate, std::uint64_t seed)
    : x(static_cast<std::size_t>(seconds * rate))
    , rate_(rate)
    , chance_(seed * 7919 + 17) {}

void Part::play(double at, double length, const std::function<float(double t)>& voice) {
  const std::int64_t first = std::llround(at * rate_), n = std::llround(length * rate_);
  for (std::int64_t i = 0; i < n; ++i) {
    const float v = voice(static_cast<double>(i) / rate_);
    if (first + i >= 0 && first + i < frames()) x[static_cast<std::size_t>(first + i)] += v;
  }
}

void Part::sing(double at, double length, double note, double db, char vowel, bool consonant) {
  const Vowel v = vowelOf(vowel);
  Saw saw(chance_.unit());
  Biquad a = bandPass(v.f1, 4, rate_), b = bandPass(v.f2, 7, rate_), c = bandPass(v.f3, 9, rate_),
         low = highPass(90, 0.7, rate_);
  const double hz = hertzOf(note), wobble = 5 + chance_.unit(), gain = gainOf(db) * 2.6;
  if (consonant) noise(at, 0.07, db - 8, 4000, 9000, 0.02, 0.3);
  const double begin = consonant ? 0.05 : 0;
  play(at + begin, length - begin, [&](double t) {
    const double left = length - begin - t,
                 envelope = std::min({1.0, t / 0.025, left / 0.07}) * (0.75 + 0.25 * std::sin(kTau * 0.7 * t));
    const double s = saw.step(hz * (1 + 0.006 * std::min(1.0, t / 0.3) * std::sin(kTau * wobble * t)), rate_);
    return static_cast<float>(gain * envelope *
                              low.step(0.25 * s * 0.3 + a.step(s) + 0.6 * b.step(s) + 0.35 * c.step(s)));
  });
}

void Part::speak(double at, double length, double note, double db) {
  static constexpr char kVowels[] = {'a', 'e', 'i', 'o', 'u'};
  double t = at;
  while (t < at + length - 0.08) {
    const double syllable = std::min(0.12 + 0.14 * chance_.unit(), at + length - t);
    const double pitch = note + 3 * (chance_.unit() - 0.5) - 3 * (t - at) / std::max(length, 0.5);
    sing(t, syllable, pitch, db - 5 * chance_.unit(), kVowels[chance_.below(5)], chance_.unit() < 0.4);
    t += syllable + 0.01 + 0.03 * chance_.unit();
  }
}

void Part::pad(double at, double length, const std::vector<double>& notes, double db, double attack, double release) {
  const double gain = gainOf(db) * 1.7 / std::sqrt(static_cast<double>(notes.size()) * 2);
  for (const double note : notes)
    for (const double cents : {-7.0, 6.0}) {
      Saw saw(chance_.unit());
      Biquad low = lowPass(1800, 0.7, rate_);
      const double hz = hertzOf(note + cents / 100);
      play(at, length + release, [&](double t) {
        const double envelope = t < length ? std::min(1.0, t / attack) : std::max(0.0, 1 - (t - length) / release);
        return static_cast<float>(gain * envelope * low.step(saw.step(hz, rate_)));
      });
    }
}

void Part::modes(double at, const std::vector<std::array<double, 3>>& all, double db) {
  double power = 0;
  for (const auto& m : all) power += m[2] * m[2] / 2;
  const double gain = gainOf(db) / std::sqrt(std::max(power, 1e-9));
  const std::int64_t first = std::llround(at * rate_);
  for (const auto& [hz, seconds, level] : all) {
    if (hz > 0.45 * rate_) continue;
    // A rotating vector that shrinks.
    const double shrink = std::pow(10.0, -3 / (seconds * rate_)), w = kTau * hz / rate_;
    double re = 0, im = level * gain;
    const double c = std::cos(w) * shrink, s = std::sin(w) * shrink;
    const std::int64_t n = std::llround(1.4 * seconds * rate_),
                       rise = std::max<std::int64_t>(1, std::llround(0.001 * rate_));
    for (std::int64_t i = 0; i < n && first + i < frames(); ++i) {
      const double next = re * c - im * s;
      im = re * s + im * c;
      re = next;
      if (first + i >= 0)
        x[static_cast<std::size_t>(first + i)] +=
            static_cast<float>(re * std::min(1.0, static_cast<double>(i) / static_cast<double>(rise)));
    }
  }
}

void Part::pluck(double at, double length, double note, double db) {
  const double hz = hertzOf(note);
  const std::int64_t first = std::llround(at * rate_), end = std::llround((at + length) * rate_);
  Part ring(length + 0.2, rate_, 1);
  std::vector<std::array<double, 3>> all;
  for (int k = 1; k <= 10; ++k) all.push_back({hz * k * (1 + 0.0002 * k * k), 3.5 / (1 + 0.35 * k), 1.0 / k});
  ring.modes(0, all, db);
  // The hand comes down on the string.
  for (std::int64_t i = 0; i < ring.frames(); ++i) {
    const double after = static_cast<double>(first + i - end) / rate_;
    const double damp = after < 0 ? 1 : std::exp(-after / 0.03);
    if (first + i >= 0 && first + i < frames())
      x[static_cast<std::size_t>(first + i)] += static_cast<float>(ring.x[static_cast<std::size_t>(i)] * damp);
  }
}

void Part::bell(double at, double note, double db, double decay) {
  const double hz = hertzOf(note);
  modes(at,
        {{hz, decay, 1},
         {hz * 2.01, 0.7 * decay, 0.6},
         {hz * 2.98, 0.5 * decay, 0.5},
         {hz * 4.17, 0.35 * decay, 0.35},
         {hz * 5.43, 0.25 * decay, 0.25}},
        db);
}

void Part::bass(double at, double length, double note, double db) {
  Saw saw;
  Biquad low = lowPass(420, 1.0, rate_);
  const double hz = hertzOf(note), gain = gainOf(db) * 1.9;
  play(at, length, [&](double t) {
    const double envelope = std::min({1.0, t / 0.008, (length - t) / 0.03});
    return static_cast<float>(gain * envelope * (0.7 + 0.3 * std::exp(-t / 0.2)) * low.step(saw.step(hz, rate_)));
  });
}

void Part::noise(double at, double seconds, double db, double lowHz, double highHz, double attack, double decay) {
  Biquad low = highPass(lowHz, 0.7, rate_), high = lowPass(highHz, 0.7, rate_);
  const double share = std::clamp((highHz - lowHz) / (rate_ / 2), 0.02, 1.0), gain = gainOf(db) * std::sqrt(3 / share);
  play(at, seconds, [&](double t) {
    const double envelope = std::min(1.0, t / attack) * std::exp(-6.9 * t / decay);
    return static_cast<float>(gain * envelope * high.step(low.step(2 * chance_.unit() - 1)));
  });
}

void Part::kick(double at, double db) {
  double phase = 0;
  const double gain = gainOf(db) * 1.6;
  play(at, 0.35, [&](double t) {
    phase += (48 + 130 * std::exp(-t / 0.025)) / rate_;
    return static_cast<float>(gain * std::min(1.0, t / 0.001) * std::exp(-t / 0.09) * std::sin(kTau * phase));
  });
  noise(at, 0.02, db - 14, 1500, 6000, 0.0005, 0.03);
}
void Part::snare(double at, double db) {
  modes(at, {{185, 0.25, 1}, {330, 0.18, 0.6}}, db - 6);
  noise(at, 0.28, db, 700, 9000, 0.0008, 0.32);
}
void Part::hat(double at, double db, bool open) {
  noise(at, open ? 0.5 : 0.09, db, 7000, 15000, 0.0005, open ? 0.7 : 0.12);
}
void Part::tom(double at, double note, double db) {
  const double hz = hertzOf(note);
  modes(at, {{hz, 0.7, 1}, {hz * 1.59, 0.4, 0.4}, {hz * 2.14, 0.3, 0.25}}, db);
  noise(at, 0.03, db - 12, 800, 5000, 0.0005, 0.05);
}
void Part::crash(double at, double db) {
  noise(at, 2.6, db, 2500, 14000, 0.001, 2.6);
}

void Part::hiss(double db, double lowPassHz) {
  Biquad low = lowPass(lowPassHz, 0.7, rate_), high = highPass(60, 0.7, rate_);
  const double gain = gainOf(db) * std::sqrt(3 / std::clamp(lowPassHz / (rate_ / 2), 0.02, 1.0));
  for (float& v : x) v += static_cast<float>(gain * high.step(low.step(2 * chance_.unit() - 1)));
}

void Part::bleed(const Part& other, double db, double delay) {
  Biquad dull = lowPass(3500, 0.7, rate_);
  const double gain = gainOf(db);
  const std::int64_t late = std::llround(delay * rate_);
  for (std::int64_t i = late; i < frames() && i - late < other.frames(); ++i)
    x[static_cast<std::size_t>(i)] +=
        static_cast<float>(gain * dull.step(static_cast<double>(other.x[static_cast<std::size_t>(i - late)])));
}

void Part::turn(double from, double to, double db) {
  const double gain = gainOf(db);
  const std::int64_t a = std::clamp<std::int64_t>(std::llround(from * rate_), 0, frames()),
                     b = std::clamp<std::int64_t>(std::llround(to * rate_), 0, frames());
  for (std::int64_t i = a; i < b; ++i) x[static_cast<std::size_t>(i)] *= static_cast<float>(gain);
}

StereoBuffer stereoOf(const Part& part, double apartSeconds) {
  StereoBuffer out(part.frames());
  const std::int64_t late = std::llround(apartSeconds * part.rate());
  for (std::int64_t i = 0; i < part.frames(); ++i) {
    out.left()[i] = part.x[static_cast<std::size_t>(i)];
    out.right()[i] = i >= late ? part.x[static_cast<std::size_t>(i - late)] : 0.0f;
  }
  return out;
}

StereoBuffer inRoom(const Part& part, double wetDb, double decay, bool hall) {
  const FlushDenormals guard;
  const StereoBuffer dry = stereoOf(part);
  StereoBuffer wet = dry;
  ReverbSettings s;
  s.character = hall ? ReverbCharacter::hall : ReverbCharacter::room;
  s.decaySeconds = decay;
  s.damping = 0.3;
  Reverb(s, part.rate()).process(wet.span());
  const auto gain = static_cast<float>(gainOf(wetDb));
  StereoBuffer out(dry.frames());
  for (std::int64_t i = 0; i < out.frames(); ++i) {
    out.left()[i] = dry.left()[i] + gain * wet.left()[i];
    out.right()[i] = dry.right()[i] + gain * wet.right()[i];
  }
  return out;
}

} // namespace ivrin::test
