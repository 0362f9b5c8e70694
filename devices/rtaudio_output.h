// A real sound device through RtAudio (ALSA, PulseAudio, JACK).
#pragma once

#include "play/output.h"

#include <memory>

namespace ivrin {

/// The default device; nothing when the machine has none.
std::unique_ptr<Output> openDefaultDevice();

} // namespace ivrin
