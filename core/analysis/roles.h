// What a row is, from its sound: where its name says nothing.
#pragma once

#include "analysis/chroma.h"
#include "song/row_role.h"

#include <optional>
#include <vector>

namespace ivrin {

/// What is heard of a row where it sounds.
struct RowSketch {
  double lowShare = 0, highShare = 0; // of its power: under 160 Hz, over 4 kHz
  double tonal = 0;                   // 0..1: how much of it are notes
  double oneNote = 0;                 // the strongest pitch class's share of all notes, in the middle of its steps
  double attacksPerSecond = 0;
  double playing = 0; // share of the time from its first sound to its last
};
/// Of a hundred moments over it; nothing in silence. `notes` and `attacks` were found over the same range.
std::optional<RowSketch> sketchOf(const RowReader& row, FrameRange range, double sampleRate, const RowChroma& notes,
                                  const std::vector<Frames>& attacks);

/// Struck noise is drums, noise that is not is texture, low notes are a bass, one line with rests is a voice (or what
/// plays like one), the rest is harmony.
RowRole roleOfSound(const RowSketch& sketch);

} // namespace ivrin
