// Other rows make room for what leads to a landing: they dip, or lose the band in which it sounds, and are whole again
// on the landing's frame; and what narrows before a landing, so that it opens on it. All are treats, one on each row.
#pragma once

#include "analysis/collisions.h"
#include "ornaments/kind.h"

namespace ivrin {

enum class RoomWay {
  dip, // turned down, further and further, until the lead-in stands 6 dB over it
  band // a cut falls (or rises) until the row is out of the octaves in which the lead-in is strongest
};

/// A treat on each row of `over` that the lead-in `p` covers: from where it comes up to its landing, tied to what it is
/// tied to. Where `rows` names some, these alone. Empty where it does not lead to a landing or covers nothing. `begin`
/// is where its print starts.
std::vector<Ornament> roomFor(const Kind& kind, const Placed& p, Frames begin, const std::vector<Collision>& over,
                              const std::vector<std::string>& rows, RoomWay way);

/// A treat that narrows a row to 15 % over `stretch`, which ends on its landing.
Ornament narrowing(const std::string& row, BeatRange stretch, const std::optional<std::string>& landing);

/// Ids of ornaments of the song that are just like these but for their ids; as many, or none.
std::vector<std::string> standingAs(const Song& song, const std::vector<Ornament>& made);

} // namespace ivrin
