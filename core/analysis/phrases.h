// Where a row sounds and where it rests.
#pragma once

#include "audio/buffer.h"
#include "time/units.h"

#include <functional>
#include <optional>
#include <vector>

namespace ivrin {

/// Fills `out` with a row's sound from song frame `from` on; silence outside of it.
using RowReader = std::function<void(Frames from, StereoSpan out)>;

/// Stretches in which the row sounds, ascending and apart, within `range`. A phrase begins where the level rises to
/// within 34 dB of the row's loud passages (its 95th percentile of 10 ms levels, at least −60 dBFS) and ends where it
/// stays 8 dB under that for 90 ms. Levels are taken above 70 Hz, so that rumble is not a phrase.
std::vector<FrameRange> findPhrases(const RowReader& row, FrameRange range, double sampleRate);

/// What lies around a stretch of a row.
struct Room {
  Frames sounding;            // where the phrase that holds the stretch's end goes silent; the end itself in a rest
  std::optional<Frames> next; // begin of the phrase after that
};
/// The same backwards: where the phrase that holds the stretch's begin came up (the begin itself in a rest), and the
/// end of the phrase before that.
struct RoomBefore {
  Frames sounding;
  std::optional<Frames> former;
};
RoomBefore roomBefore(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate);
Room roomAfter(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate);

} // namespace ivrin
