// Where a row sounds and where it rests.
#pragma once

#include "analysis/octaves.h"
#include "audio/buffer.h"
#include "time/units.h"

#include <functional>
#include <optional>
#include <vector>

namespace ivrin {

/// Fills `out` with a row's sound from song frame `from` on; silence outside of it.
using RowReader = std::function<void(Frames from, StereoSpan out)>;
/// A stretch of it as one sound.
StereoBuffer heardOver(const RowReader& row, FrameRange stretch);

/// What was heard of a row.
struct RowPhrases {
  /// Stretches in which something is played, ascending and apart.
  std::vector<FrameRange> phrases;
  /// Levels above 70 Hz, dBFS: what is there while nothing is played (noise, the neighbours), and loud passages (95th
  /// percentile). −120: silence.
  double floorDb = -120, loudDb = -120;
  /// How long the row takes to fall by 60 dB where it falls by itself over a tenth of a second or more: its room, or
  /// the ring of what is struck. 0: it stops at once.
  double decaySeconds = 0;
  RowOctaves octaves;
};

/// Listens to `range`. Something is played where the level is over a threshold that follows the passage (34 dB under
/// its loud moments, and over what is always there, where the two can be told apart), and does not merely die away: a
/// room's decay, or a string's, is a rest from the moment it falls steadily until something enters, which shows as a
/// rise of level or of several bands over what was dying. Levels are taken above 70 Hz, so that rumble is no phrase.
/// Starts lie within 30 ms of an attack in a dry row.
RowPhrases findPhrases(const RowReader& row, FrameRange range, double sampleRate);

/// What lies around a stretch of a row.
struct Room {
  Frames sounding;            // where the phrase that holds the stretch's end goes silent; the end itself in a rest
  std::optional<Frames> next; // start of the phrase after that
};
/// The same backwards: where the phrase that holds the stretch's start came up (the start itself in a rest), and the
/// end of the phrase before that.
struct RoomBefore {
  Frames sounding;
  std::optional<Frames> former;
};
RoomBefore roomBefore(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate);
Room roomAfter(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate);

/// Phrases with pauses shorter than `rest` between them taken as one: what is left between them are rests.
std::vector<FrameRange> joinedOver(const std::vector<FrameRange>& phrases, Frames rest);

} // namespace ivrin
