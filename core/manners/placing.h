// Placing ornaments by their first press on several rows at once.
#pragma once

#include "manners/first_press.h"

namespace ivrin {

struct Press {
  std::string row;
  BeatRange stretch;
};

/// What a press on `row` of a song listens to.
using Hear = std::function<Surroundings(const Song& song, const std::string& row)>;

struct PlacedSeveral {
  Song song;                    // with them
  std::vector<Ornament> placed; // in the order of the presses, without what is refused and rows that are not there
  std::vector<Heard> heard;     // of each that was placed
  std::string refusal;          // why the last one that was refused is not there
};

/// Each press hears the rows as the earlier ones leave them; ids are fresh along the way.
PlacedSeveral placeSeveral(const KindSet& kinds, const std::string& kind, Song song, const std::vector<Press>& presses,
                           const Hear& hear);

} // namespace ivrin
