// What a song may hold at most, so that whatever is read or made is computed in bounded time and memory.
#pragma once

#include "song/problem.h"
#include "song/song.h"

namespace ivrin {

inline constexpr double kLongestSongSeconds = 4 * 3600;
inline constexpr double kFarthestOffsetSeconds = 3600; // of a stem, each way
inline constexpr std::int64_t kEarliestBar = -64;      // nothing stands before it
inline constexpr int kMostLeadBars = 64;               // before the stems
inline constexpr std::size_t kLongestName = 1000;      // bytes, of names and titles
inline constexpr std::size_t kLongestPath = 4096;      // bytes

/// One problem at each place where the song goes beyond: names, titles, offsets, where sections, landings, ornaments
/// and their sources lie. The tempo and meter must be in order. What `known` (a song within the limits, on the same
/// grid) shares with it is not looked at again.
void checkLimits(const Song& song, Problems& problems, const Song* known = nullptr);

} // namespace ivrin
