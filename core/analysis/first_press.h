// The first key press: an ornament whose settings fit the place, ready to keep.
#pragma once

#include "analysis/phrases.h"
#include "ornaments/kind.h"

namespace ivrin {

/// What the first press listens to.
struct Listening {
  /// The row before its own ornaments; any row may be asked for.
  std::function<RowReader(const std::string& row)> before;
  /// Phrases of the row the ornament is placed on.
  std::vector<FrameRange> phrases;
};

/// `kind` must be in `kinds`, `row` a row of the song, `stretch` not empty. The ornament gets a fresh id; it is not yet
/// part of the song.
Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Listening& listening);

/// Loudest K-weighted window (as long as the source, at least 50 ms) of an ornament's print and of its source, in LUFS.
struct PrintLevel {
  double print = -200, source = -200;
};
PrintLevel measurePrint(const Kind& kind, const Ornament& o, const TempoMap& map, const Listening& listening);

} // namespace ivrin
