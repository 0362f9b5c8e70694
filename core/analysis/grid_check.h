// How far what is played lies from the grid, along the song.
#pragma once

#include "time/tempo_map.h"
#include "time/units.h"

#include <optional>
#include <vector>

namespace ivrin {

struct BarOffset {
  std::int64_t bar = 1;
  int attacks = 0; // near its beats
  double ms = 0;   // their median: what is played is so late, or early where it is under 0
};

/// Bars with two attacks or more near their beats. A grid that runs away is followed: the offset grows beyond half a
/// beat, from the bar where most is near the grid on, in both directions. `attacks`: of each row, ascending.
std::vector<BarOffset> gridOffsets(const std::vector<const std::vector<Frames>*>& attacks, const TempoMap& map,
                                   FrameRange sounding);

/// The farthest off, of those with as many attacks as bars have in the middle.
const BarOffset* worstOf(const std::vector<BarOffset>& offsets);

/// Where the whole song runs away from the grid evenly (over 10 ms from end to end, one tempo): the tempo that lies on
/// the sound.
std::optional<double> tempoThatFits(const std::vector<BarOffset>& offsets, const TempoMap& map);

} // namespace ivrin
