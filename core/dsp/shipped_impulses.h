// Three impulse responses of our own, computed: they can be had at any sample rate and need no files.
#pragma once

#include "audio/buffer.h"

#include <string>
#include <vector>

namespace ivrin {

struct ShippedImpulse {
  const char* name; // as in a song file: "shipped:stairwell"
  const char* meaning;
};
const std::vector<ShippedImpulse>& shippedImpulses();
/// Energy 1 (mean of both sides), its first sound on its first frame. Empty when there is none of that name.
StereoBuffer shippedImpulse(const std::string& name, double sampleRate);

} // namespace ivrin
