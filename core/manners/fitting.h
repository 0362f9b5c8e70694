// What first presses have in common: what is heard, landings near by, attacks kept, choices that go round.
#pragma once

#include "manners/manners.h"

namespace ivrin {

/// What a press takes, and what it would add, without its level fitted.
struct PressSound {
  StereoBuffer source, print;
  Frames first;            // song frame that the print begins at
  std::int64_t window = 0; // frames in which both are measured: as long as the source, at least 50 ms
};
PressSound soundOf(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around);

/// Loudest K-weighted window (as long as the source, at least 50 ms) of an ornament's print and of its source, in LUFS.
struct PrintLevel {
  double print = -200, source = -200;
  double printLowsDb = -200, sourceLowsDb = -200; // energy under 200 Hz of the whole, dB
  double printPeakDb = -200, sourcePeakDb = -200; // sample peaks, dBFS
};
PrintLevel measurePrint(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around);

/// It stands on this very stretch, to a hair.
inline bool fillsStretch(const Ornament& o, BeatRange stretch) {
  const auto near = [](Beats a, Beats b) { return std::abs((a - b).ticks) <= kTicksPerQuarter / 32; };
  return near(o.start, stretch.begin) && near(o.span().end, stretch.end);
}
/// Ties it to the landing at `at`, if there is one.
void tieToLanding(const Song& song, Ornament& o, Beats at);
/// Up to the landing when there is one near the end: within half of the length, and half a beat.
void endOnLanding(const Song& song, Ornament& o);
/// Where the row comes back on an attack that begins a moment before the edge, it comes back that much earlier: within
/// 12 ms, so that the attack is whole.
void keepAttack(Ornament& o, const PressedAt& at, Heard& heard);
/// Rests that count as room: nine tenths of a beat at a place.
Frames leastRest(const TempoMap& map, Beats at);
/// The next choice of one setting, but for those that need something drawn or picked first.
Ornament withNextChoice(Ornament o, const Kind& kind, const char* key);

} // namespace ivrin
