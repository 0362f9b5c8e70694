// The key that the notes of a song are of.
#pragma once

#include "analysis/chroma.h"
#include "song/song.h"

#include <optional>

namespace ivrin {

struct FoundKey {
  Key key;
  double confidence = 0; // 0..1: how far it is over the next best; under 0.3 nothing can be said
};

/// Correlates the notes' distribution with the profiles of C. L. Krumhansl and E. J. Kessler ("Tracing the dynamic
/// changes in perceived tonal organization", Psychological Review 89 (1982)), after C. L. Krumhansl, "Cognitive
/// Foundations of Musical Pitch" (1990), ch. 4; a key and its relative, which have the same notes, are parted by the
/// chords that the song starts and ends with too, and by those at `starts` (seconds of the rows' time: where groups of
/// bars begin, if that is known). `comesToRest`: its last chord is an end, not where it was cut off; then it is on the
/// tonic if any is. Rows start together. Nothing where no notes are heard.
std::optional<FoundKey> findKey(const std::vector<RowChroma>& rows, const std::vector<double>& starts = {},
                                bool comesToRest = false);

} // namespace ivrin
