// Real sound devices through RtAudio (ALSA, PulseAudio, JACK).
#pragma once

#include "play/output.h"

namespace ivrin {

/// The devices of the sound system that is running.
std::unique_ptr<OutputSource> realDevices();

} // namespace ivrin
