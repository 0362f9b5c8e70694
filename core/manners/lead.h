// Room before the song: how many bars before the stems' time 0 must belong to it so that nothing that sounds there is
// lost.
#pragma once

#include "song/song.h"

#include <memory>

namespace ivrin {

class Impulses;

/// What begins at `first` begins before the song does, by more than its own edge.
bool soundsBefore(const Song& song, Frames first);
/// Bars that hold what begins at `first`; no more than a song can have.
int leadBarsFor(const Song& song, Frames first);
/// `next` with as many bars before it as what differs from `now` in it needs, and no fewer than `atLeast`. Ornaments
/// that cannot sound count for nothing.
Song withRoomBefore(const Song& now, Song next, int atLeast, std::shared_ptr<const Impulses> impulses = nullptr);

} // namespace ivrin
