// The beats of music that was not played to a click, and the map of tempi that follows them.
#pragma once

#include "analysis/tempo.h"
#include "time/tempo_map.h"

#include <optional>
#include <vector>

namespace ivrin {

struct FoundCurve {
  std::vector<double> beats; // seconds of the rows' time, ascending; the first is bar 1
  /// 0..1: how many of the beats are struck, and how evenly they follow each other. Under 0.3 they are guesses.
  double confidence = 0;
  int beatsInBar = 4;
  double barConfidence = 0; // 0..1
};

/// The tempo of each moment near `around`, in BPM: the likeliest way through combs of windows of the song that changes
/// little at a time; then beats that lie on what begins and keep to it (dynamic programming: D. Ellis, "Beat tracking
/// by dynamic programming", J. New Music Research 36 (2007)); then each to the attacks near it, evened out over its
/// neighbours, so that the grid follows the players and not every single note. Nothing where nothing begins twice.
std::optional<FoundCurve> findTempoCurve(const std::vector<HeardRow>& rows, double sampleRate, double around);

/// Tempi from beat to beat along which no beat lies more than `within` seconds from where it was found; on bar lines
/// where that is enough.
std::vector<TempoEntry> tempiOf(const FoundCurve& curve, double within = 0.008);

/// Whether clearly more of its beats are struck than of those of the steady tempo: it was not played to a click.
bool followsBetter(const FoundCurve& curve, const FoundTempo& steady, const std::vector<HeardRow>& rows,
                   double sampleRate);

} // namespace ivrin
