// Musical time: an integer count of ticks, 1 290 240 to the quarter note (20160 × 64: exact for dotted,
// triplet, quintuplet and septuplet values and finer than half a frame at 192 kHz and 20 BPM).
#pragma once

#include <compare>
#include <cstdint>
#include <string>

namespace ivrin {

inline constexpr std::int64_t kTicksPerQuarter = 1290240;

/// A position (bar 1 beat 1 = 0, negative before it) or a length, in quarter notes.
struct Beats {
  std::int64_t ticks = 0;
  constexpr Beats() = default;
  constexpr explicit Beats(std::int64_t t)
      : ticks(t) {}
  /// Nearest tick.
  static Beats ofQuarters(double quarters);
  constexpr double quarters() const { return static_cast<double>(ticks) / static_cast<double>(kTicksPerQuarter); }
  friend constexpr auto operator<=>(Beats, Beats) = default;
  friend constexpr Beats operator+(Beats a, Beats b) { return Beats(a.ticks + b.ticks); }
  friend constexpr Beats operator-(Beats a, Beats b) { return Beats(a.ticks - b.ticks); }
  friend constexpr Beats operator*(Beats a, std::int64_t n) { return Beats(a.ticks * n); }
};

/// Half-open stretch of musical time.
struct BeatRange {
  Beats begin, end;
  constexpr Beats length() const { return end - begin; }
  friend constexpr bool operator==(BeatRange, BeatRange) = default;
};

/// The number with the fewest digits that reads back to the same tick.
std::string shortestBeats(Beats b);

} // namespace ivrin
