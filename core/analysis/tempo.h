// Tempo, beats and bars of a song, from all its rows together.
#pragma once

#include "analysis/beat_strength.h"
#include "analysis/chroma.h"

#include <optional>

namespace ivrin {

/// What was heard of one row.
struct HeardRow {
  BeatStrength beats;
  RowChroma chroma;
  std::vector<Frames> attacks; // ascending; may be none: beats are then 10 ms sharp instead of 2
};

struct FoundTempo {
  double bpm = 120;
  /// 0..1, of the tempo and of where its beats lie: how regular what is played is, and how far this tempo is over all
  /// that are not its half, double, two thirds. Under 0.3 nothing can be said: `bpm` is then a guess.
  double confidence = 0;
  double beatSeconds = 0;           // the first beat at or after the rows' first frame
  std::vector<double> alternatives; // BPM: half and double, the likelier first, then two thirds and three halves of it
  int beatsInBar = 4;
  double barOneSeconds = 0; // the bar line that the song starts on
  double barConfidence = 0; // 0..1
};

/// The beat: the period at whose multiples what begins repeats and at whose halves it does not (a comb over the
/// autocorrelation, as in A. Klapuri et al., 2006), weighted by how people tap (a log-normal around 112 BPM:
/// L. van Noorden and D. Moelants, "Resonance in the perception of musical pulse", J. New Music Research 28 (1999)) and
/// by the backbeat, kick and snare in turns; then made exact by the phase over all of the song. The bar: the beat on
/// which lows and new harmonies fall. Nothing where nothing begins twice.
std::optional<FoundTempo> findTempo(const std::vector<HeardRow>& rows, double sampleRate);

} // namespace ivrin
