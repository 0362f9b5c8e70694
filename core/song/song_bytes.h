// How much memory values of a song take, roughly: what is kept of them is bounded by it.
#pragma once

#include "song/song.h"

namespace ivrin {

/// Of `song`, bytes, without the ornaments that it shares with `before`.
std::int64_t ownBytes(const Song& song, const Song& before);

} // namespace ivrin
