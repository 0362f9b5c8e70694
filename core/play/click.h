// The metronome: a pure function of the song's frames, so that it sits on the grid whatever the block size.
#pragma once

#include "audio/buffer.h"
#include "time/tempo_map.h"

namespace ivrin {

/// Adds the clicks of every beat of the meter that sound within [from, from + out.frames); the first beat of a bar is
/// higher. `gain` is the amplitude of a click's peak.
void addClick(const TempoMap& map, Frames from, StereoSpan out, float gain);

} // namespace ivrin
