// A hit on a landing, and the same backwards before it: three characters, computed, tuned where they have a pitch.
//
// deep: a sine that falls from two octaves above its note to the note (a drum's tension falling as it rings out), with
// a thump of low noise under its first moment. bright: noise in four bands, the high ones dying sooner, as of a crash
// cymbal. metallic: the modes of a free circular plate (frequencies as of N. Fletcher and T. Rossing, "The Physics of
// Musical Instruments", 1998, table 3.2: f(m, n) ∝ (m + 2n)^p), each on its own side, the high ones dying sooner.
#pragma once

#include "audio/buffer.h"

#include <memory>

namespace ivrin {

enum class Impact { deep, bright, metallic };

/// How long it is; nothing is computed.
std::int64_t impactFrames(Impact character, double sampleRate);
/// Its largest sample is 1, near the first; it dies within three to four seconds. `note` is a MIDI pitch class, 0..11
/// (bright has none). The same for the same arguments; may be called from any thread; the first call for them computes.
std::shared_ptr<const StereoBuffer> impactSound(Impact character, int note, double sampleRate);

} // namespace ivrin
