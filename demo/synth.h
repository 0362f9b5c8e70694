// Small tools of the demo's instruments: a stereo track, seeded noise, filters, a room.
#pragma once

#include "audio/buffer.h"
#include "composition.h"

#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

namespace lantern {

inline constexpr double kRate = 48000;

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

/// Topology-preserving state-variable filter, one channel.
class Filter {
 public:
  void set(double cutoffHz, double q);
  struct Out {
    double low, band, high;
  };
  Out step(double x);

 private:
  double g_ = 0, k_ = 1, a1_ = 0, a2_ = 0, a3_ = 0, s1_ = 0, s2_ = 0;
};

/// A stem being written.
struct Track {
  ivrin::StereoBuffer sound;
  Track();
  /// Adds a sample at a frame, panned −1..1 (equal power); outside the song it is dropped.
  void add(std::int64_t frame, double v, double pan);
  /// Adds `wet` of a small room of `decay` seconds to the whole track.
  void room(double wet, double decay, double dampHz, double preDelay);
  /// Gentle saturation towards ±1, then the given peak.
  void glue(double drive, double peak);
  /// Low end out.
  void highPass(double hertz);
};

/// Runs a mono instrument over its samples: `voice(t)` for t in 0..seconds, from a beat of the song on.
template <class Voice> void play(Track& track, double beat, double seconds, double pan, const Voice& voice) {
  const std::int64_t first = std::llround(beat * lantern::kBeat * kRate),
                     n = static_cast<std::int64_t>(seconds * kRate);
  const double angle = (pan + 1) * std::numbers::pi / 4, left = std::cos(angle), right = std::sin(angle);
  for (std::int64_t i = 0; i < n && first + i < track.sound.frames(); ++i) {
    const double v = voice(static_cast<double>(i) / kRate);
    if (first + i < 0) continue;
    track.sound.left()[first + i] += static_cast<float>(v * left);
    track.sound.right()[first + i] += static_cast<float>(v * right);
  }
}

} // namespace lantern
