// Tools of the demo's instruments and of its mixing desk: a stereo track, seeded noise, filters, a room.
#pragma once

#include "audio/buffer.h"
#include "composition.h"

#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

namespace lantern {

inline constexpr double kRate = 48000;
inline constexpr double kTau = 2 * std::numbers::pi;

/// A linear congruential generator, so that every machine composes the same bytes.
class Noise {
 public:
  explicit Noise(std::uint64_t seed)
      : state_(seed * 0x9e3779b97f4a7c15ull + 1) {}
  /// −1..1
  double next();
  /// 0..1
  double unit() { return 0.5 + 0.5 * next(); }

 private:
  std::uint64_t state_;
};

double hz(double midi);
double decibels(double db);
inline std::int64_t frameAt(double beat) {
  return std::llround(beat * kBeat * kRate);
}

/// Topology-preserving state-variable filter, one channel (V. Zavalishin, "The Art of VA Filter Design", 2012).
class Filter {
 public:
  Filter() = default;
  Filter(double cutoffHz, double q) { set(cutoffHz, q); }
  void set(double cutoffHz, double q);
  struct Out {
    double low, band, high;
  };
  Out step(double x);

 private:
  double g_ = 0, k_ = 1, a1_ = 0, a2_ = 0, a3_ = 0, s1_ = 0, s2_ = 0;
};

/// One mode of something that was struck: a sine that dies (two-pole resonator).
class Mode {
 public:
  /// `seconds`: until it has fallen by 60 dB.
  Mode(double hertz, double seconds, double level);
  double step(double x);

 private:
  double a1_, a2_, gain_, y1_ = 0, y2_ = 0;
};

/// A stem being written.
struct Track {
  ivrin::StereoBuffer sound;
  Track();
  std::int64_t frames() const { return sound.frames(); }
  /// Adds a sample at a frame, panned −1..1 (equal power); outside the song it is dropped.
  void add(std::int64_t frame, double v, double pan);
  /// Adds `wet` of a small room of `decay` seconds to the whole track.
  void room(double wet, double decay, double dampHz, double preDelay);
  /// Gentle saturation towards ±1 (no change of small sounds).
  void saturate(double drive);
  /// Turns all of it so that the largest sample is `peak`.
  void normalise(double peak);
  /// Turns all of it so that what sounds (twentieths of a second within 30 dB of the loudest) has this mean level, dB.
  void level(double rmsDb);
  /// Evens out the level: above `thresholdDb` by `ratio`, both sides alike.
  void compress(double thresholdDb, double ratio, double attack, double release);
  // The desk (R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients").
  void highPass(double hertz);
  void bell(double hertz, double db, double q = 1);
  void highShelf(double hertz, double db);
  /// Sides against the middle: 1 leaves it, 0 is mono.
  void width(double w);

 private:
  void biquad(double b0, double b1, double b2, double a0, double a1, double a2);
};

/// Runs a mono instrument over its samples: `voice(t)` for t in 0..seconds, from a beat of the song on.
template <class Voice> void play(Track& track, double beat, double seconds, double pan, const Voice& voice) {
  const std::int64_t first = frameAt(beat), n = static_cast<std::int64_t>(seconds * kRate);
  const double angle = (pan + 1) * std::numbers::pi / 4, left = std::cos(angle), right = std::sin(angle);
  for (std::int64_t i = 0; i < n && first + i < track.frames(); ++i) {
    const double v = voice(static_cast<double>(i) / kRate);
    if (first + i < 0) continue;
    track.sound.left()[first + i] += static_cast<float>(v * left);
    track.sound.right()[first + i] += static_cast<float>(v * right);
  }
}

} // namespace lantern
