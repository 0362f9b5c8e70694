// Which of all openings that were heard a page shows unasked.
#pragma once

#include "analysis/openings.h"
#include "time/tempo_map.h"

namespace ivrin {

struct RankedOpening {
  enum class Rank { best, good, more }; // the best of its eight bars, the second, all else
  Opening opening;
  Rank rank = Rank::more;
};

/// Those that score `least`, in their order. Two of every eight bars rank above the others, those that are worth most:
/// by their score, more where they end at a section or landing, none where an ornament of the row stands already, and
/// no two at one moment.
std::vector<RankedOpening> rankedOpenings(const std::vector<Opening>& all, const Song& song, const TempoMap& map,
                                          double least);
/// An ornament of the row lies on it, or starts in what leads to it.
bool isTaken(const Opening& o, const Song& song);

} // namespace ivrin
