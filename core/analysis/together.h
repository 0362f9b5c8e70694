// What the rows of a song say of its beats together: what a steady tempo and a wandering one are both found from.
#pragma once

#include "analysis/tempo.h"

#include <optional>
#include <vector>

namespace ivrin {

using Strengths = std::vector<float>; // by steps

/// All rows together, those that are regular before those that are not.
struct Together {
  double step = 0; // seconds
  Frames begin;    // the first step's middle
  std::array<Strengths, BeatStrength::kRanges> range;
  Strengths kick, snare; // lows and middles of rows that have highs too: a bass has none
  Strengths all;
  /// Seconds of the rows' time.
  double secondsAt(double at, double sampleRate) const {
    return static_cast<double>(begin.count) / sampleRate + at * step;
  }
};
/// Nothing of less than five seconds, or where nothing begins.
std::optional<Together> together(const std::vector<HeardRow>& rows, double sampleRate);

/// Between two steps; 0 outside.
double between(const Strengths& x, double at);
double between(const std::vector<double>& x, double at);

/// Of what stands over the mean in steps [from, to), up to a lag; 1 at none.
std::vector<double> autocorrelation(const Strengths& x, std::size_t lags, std::size_t from, std::size_t to);
/// How much better what begins agrees with itself after whole periods than after halves; `period` in steps.
double comb(const std::vector<double>& autocorrelation, double period);
/// 0..1: how readily people tap at it.
double tapped(double bpm);
/// What a comb counts against where people tap.
inline constexpr double kCombCounts = 1.3;
inline constexpr double kLeastBpm = 40, kMostBpm = 240; // that are looked for
/// By so much the rise comes before the attack itself, in seconds: measured on clicks.
inline constexpr double kLateSeconds = -0.0075;
/// An attack so near to a beat is the beat's, in seconds.
inline constexpr double kAttackSeconds = 0.035;

/// Under such a confidence bars are a guess.
inline constexpr double kLeastOfBars = 0.1;
struct Bars {
  int beats = 4;
  std::size_t phase = 0; // the first of them that starts a bar
  double confidence = 0; // 0..1
};
/// On which of these beats, in ascending steps, lows and new harmonies fall.
Bars barsOf(const Together& t, const std::vector<HeardRow>& rows, const std::vector<double>& beats, double sampleRate);

/// Seconds of the first thing that is played; what comes in softly is played too.
double firstSound(const Together& t, const std::vector<HeardRow>& rows, double sampleRate);

} // namespace ivrin
