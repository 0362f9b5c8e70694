// A sound at another pitch, of the same length, by moving the peaks of its spectrum (J. Laroche and M. Dolson, "New
// phase-vocoder techniques for pitch-shifting, harmonizing and other exotic effects", WASPAA 1999). For what sounds
// steadily: attacks are spread over some 40 ms. Fast; where attacks count see stretch.h.
#pragma once

#include "audio/buffer.h"

namespace ivrin {

/// `ratio` 1/4..4 times the frequency. Both sides move together. Needs all of the sound at once.
StereoBuffer peaksShifted(const StereoBuffer& sound, double ratio, double sampleRate);

} // namespace ivrin
