// The first key press: an ornament whose settings fit the place, ready to keep.
#pragma once

#include "analysis/phrases.h"
#include "ornaments/kind.h"

namespace ivrin {

/// What the first press listens to.
struct Surroundings {
  /// The row before its own ornaments; any row may be asked for.
  std::function<RowReader(const std::string& row)> before;
  /// Phrases of the row the ornament is placed on.
  std::vector<FrameRange> phrases;
};

/// `kind` must be in `kinds`, `row` a row of the song, `stretch` not empty. The ornament gets a fresh id; it is not yet
/// part of the song.
Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around);

/// The same key pressed again on the same stretch: the ornament that stands there, changed to what its kind means by
/// it: a reverse reverb lands on the next landing instead of its word, and back; a tape takes its next shape; a
/// halftime keeps its pitch, and drops it again. Nothing where this is a first press.
std::optional<Ornament> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                     BeatRange stretch);

/// Loudest K-weighted window (as long as the source, at least 50 ms) of an ornament's print and of its source, in LUFS.
struct PrintLevel {
  double print = -200, source = -200;
  double printLowsDb = -200, sourceLowsDb = -200; // energy under 200 Hz of the whole, dB
  double printPeakDb = -200, sourcePeakDb = -200; // sample peaks, dBFS
};
PrintLevel measurePrint(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around);

} // namespace ivrin
