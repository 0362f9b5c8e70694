// What first presses have in common: levels measured, landings near by, choices that go round.
#pragma once

#include "manners/manners.h"

namespace ivrin {

/// Loudest K-weighted window (as long as the source, at least 50 ms) of an ornament's print and of its source, in LUFS.
struct PrintLevel {
  double print = -200, source = -200;
  double printLowsDb = -200, sourceLowsDb = -200; // energy under 200 Hz of the whole, dB
  double printPeakDb = -200, sourcePeakDb = -200; // sample peaks, dBFS
};
PrintLevel measurePrint(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around);

/// Puts a level at the end of the finish: so many LU under the source. A swell over a short word is loud at its very
/// end only: its peak stays under the source's, as far as `mostMoreLu` allow.
void fitLevel(Ornament& o, const PressedAt& at, double underLu, double mostMoreLu = 0);
/// It stands on this very stretch.
inline bool fillsStretch(const Ornament& o, BeatRange stretch) {
  return o.start == stretch.begin && o.length == stretch.length();
}
/// Ties it to the landing at `at`, if there is one.
void tieToLanding(const Song& song, Ornament& o, Beats at);
/// Up to the landing when there is one near the end: within half of the length, and half a beat.
void endOnLanding(const Song& song, Ornament& o);
/// The next choice of one setting, but for those that need something drawn or picked first.
Ornament withNextChoice(Ornament o, const Kind& kind, const char* key);

} // namespace ivrin
