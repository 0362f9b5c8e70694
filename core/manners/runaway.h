// What would grow without end: feedback over 100 % at the end of its curve, and nothing that cuts it.
#pragma once

#include "song/song.h"

namespace ivrin {

/// `next` with an end for every ornament that differs from `now` and would grow without one: at the next landing after
/// its stretch, but no later than 8 bars on. Who takes an end away, or has left one out before, may; `ended` gets the
/// ids of those that were given one.
Song withRunawaysEnded(const Song& now, Song next, std::vector<std::string>* ended = nullptr);
/// `next` without the end that `withRunawaysEnded` gave this ornament in `given`, where it needs none any more and the
/// end still stands: while a value is being turned it may go over 100 % and come back.
Song withEndTakenBack(const Song& given, Song next, const std::string& ornament);

} // namespace ivrin
