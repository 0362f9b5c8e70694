// Of all openings that were heard, the few that a page shows unasked.
#pragma once

#include "analysis/openings.h"
#include "time/tempo_map.h"

namespace ivrin {

struct ChosenOpening {
  Opening opening;
  bool best = false; // of its eight bars
};

/// Two of every eight bars, those that are worth most: by their score, more where they end at a section or landing,
/// none where an ornament of the row stands already, and no two at one moment. In the order of `all`, which is by
/// place. What scores less than `least` counts for nothing.
std::vector<ChosenOpening> chosenOpenings(const std::vector<Opening>& all, const Song& song, const TempoMap& map,
                                          double least);
/// An ornament of the row lies on it, or starts in what leads to it.
bool isTaken(const Opening& o, const Song& song);

} // namespace ivrin
