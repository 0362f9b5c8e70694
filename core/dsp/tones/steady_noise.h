// Pink noise without weather: every quarter of a second of it has the same colour and the same level, so that what a
// filter makes of it is the filter's doing. Two sides that have nothing in common; it goes round without a seam after
// five seconds or more.
//
// Made once for each sample rate: every band (thirds of an octave up to 1 kHz, octaves above) is drawn with random
// phases and divided by its own level in 125 ms.
#pragma once

#include "audio/buffer.h"

#include <memory>

namespace ivrin {

/// Its power is 1 on each side (RMS 0 dB); the same for the same sample rate. May be called from any thread; the first
/// call for a rate takes some tens of milliseconds.
std::shared_ptr<const StereoBuffer> steadyNoise(double sampleRate);

} // namespace ivrin
