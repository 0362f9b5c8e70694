// The units of the project as distinct types. Construction from a number is explicit and names the unit;
// beats become frames only through TempoMap. A wrong mix does not compile (tests/core/units_test.cpp).
#pragma once

#include <cmath>
#include <compare>
#include <cstdint>

namespace ivrin {

/// A count of sample frames, or a position on the song's frame axis (0 = the stems' common time 0).
struct Frames {
  std::int64_t count = 0;
  constexpr Frames() = default;
  constexpr explicit Frames(std::int64_t n)
      : count(n) {}
  friend constexpr auto operator<=>(Frames, Frames) = default;
  friend constexpr Frames operator+(Frames a, Frames b) { return Frames(a.count + b.count); }
  friend constexpr Frames operator-(Frames a, Frames b) { return Frames(a.count - b.count); }
};

/// Half-open: [begin, end).
struct FrameRange {
  Frames begin, end;
  constexpr std::int64_t length() const { return end.count - begin.count; }
  constexpr bool empty() const { return end <= begin; }
  constexpr bool contains(Frames f) const { return f >= begin && f < end; }
  friend constexpr bool operator==(FrameRange, FrameRange) = default;
};

constexpr FrameRange intersect(FrameRange a, FrameRange b) {
  FrameRange r{a.begin > b.begin ? a.begin : b.begin, a.end < b.end ? a.end : b.end};
  if (r.end < r.begin) r.end = r.begin;
  return r;
}

struct Seconds {
  double value = 0;
  constexpr Seconds() = default;
  constexpr explicit Seconds(double s)
      : value(s) {}
  friend constexpr auto operator<=>(Seconds, Seconds) = default;
  friend constexpr Seconds operator+(Seconds a, Seconds b) { return Seconds(a.value + b.value); }
  friend constexpr Seconds operator-(Seconds a, Seconds b) { return Seconds(a.value - b.value); }
};

/// A level or gain in decibels (20·log10 of an amplitude ratio).
struct Decibels {
  double value = 0;
  constexpr Decibels() = default;
  constexpr explicit Decibels(double db)
      : value(db) {}
  friend constexpr auto operator<=>(Decibels, Decibels) = default;
  double gain() const { return std::pow(10.0, value / 20.0); }
  /// Amplitude 0 gives −200 dB, so that the result is always finite.
  static Decibels ofGain(double amplitude) {
    return Decibels(amplitude > 1e-10 ? 20.0 * std::log10(amplitude) : -200.0);
  }
};

/// Rounds to the nearest frame, halves away from zero.
inline Frames toFrames(Seconds s, double sampleRate) {
  return Frames(std::llround(s.value * sampleRate));
}

} // namespace ivrin
