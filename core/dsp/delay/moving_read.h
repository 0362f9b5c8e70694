// Reading a delay line at a place that moves slowly, losing nothing on the way: a windowed sinc of 16 taps is flat
// within 0.001 dB to a third of the sample rate, so that a sound may go round thousands of times. (Lagrange's third
// order, which never amplifies either, loses 0.2 dB at 8 kHz each time.) Within 16 frames the kernel goes in a straight
// line from one place's to the other's, which costs two plain convolutions.
#pragma once

#include "dsp/delay/ring.h"

#include <cstdint>

namespace ivrin {

inline constexpr int kMovingHalf = 8;          // taps on each side of the place
inline constexpr std::int64_t kMovingRun = 16; // frames that share a kernel

/// The frames from `clock` on, inside one block of time (a power of two), of a ring whose delay goes in a straight line
/// from `from` at the block's begin to `to` at its end, by less than a quarter of a frame in a run. The delay stays
/// over the block and kMovingHalf + 1 frames; the ring keeps kMovingHalf more than it, with a pad of two runs. The same
/// samples whatever the sizes of the calls.
void readMoving(const Ring& ring, std::int64_t clock, std::int64_t block, double from, double to, float* out,
                std::int64_t n);

} // namespace ivrin
