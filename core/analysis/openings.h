// Places where an ornament wants to be: gaps between phrases, held notes, isolated hits, the bars before a landing, and
// those in which a section turns round.
#pragma once

#include "analysis/chroma.h"
#include "analysis/phrases.h"
#include "song/song.h"

#include <string>
#include <vector>

namespace ivrin {

struct Opening {
  enum class Kind { gap, held, hit, landing, turn };
  Kind kind = Kind::gap;
  std::string row;
  /// Of a gap the rest itself, of a held note the note, of a hit from its attack to what comes next, of a landing the
  /// bars before it, of a turn the last bars before the section's fifth bar, ninth, thirteenth …
  BeatRange place;
  double score = 0;                 // 0..1
  std::vector<std::string> suits{}; // kinds of ornaments, the likeliest first; not known here (manners: suiting())
};

/// What was heard of a row (RowPhrases, OnsetFinder, rowChroma).
struct RowHeard {
  std::string row;
  const std::vector<FrameRange>* phrases = nullptr;
  const std::vector<Frames>* attacks = nullptr;
  const RowChroma* chroma = nullptr;
  const RowOctaves* octaves = nullptr;
};

/// Gaps: rests of 0.9 beats to four bars between two phrases. Held notes: the same notes for half a beat and 250 ms at
/// least, after their attack and with none in them, falling by less than 10 dB. Isolated hits: an attack that has
/// fallen by 12 dB within half a beat, a beat or more before the next sound, with a rest before it. A row that never
/// rests has no gaps and no hits.
std::vector<Opening> findOpenings(const RowHeard& heard, const TempoMap& map);
/// Two bars before each section and landing that has them, on the mix.
std::vector<Opening> openingsBeforeLandings(const Song& song);
/// Where a row that never rests has its places: within each section, up to `end`, the last bar of four and the last two
/// of eight. Where something starts anew anyway there is no turn. Without sections they are counted from bar 1.
std::vector<Opening> turnsOf(const Song& song, const std::string& row, Beats end);

const char* openingWord(Opening::Kind kind); // "gap", "held", "hit", "landing", "turn"

} // namespace ivrin
