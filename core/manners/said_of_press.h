// What a first press heard and did, as one line.
#pragma once

#include "manners/manners.h"

#include <string>

namespace ivrin {

/// "Source −21.3 LUFS, the row falls 60 dB in 1.4 s. Next phrase at 17:1. 4 LU under the source, raised so that it is
/// heard: 11 LU under the mix." Empty where there is nothing to say. In the reader's words; bars and beats count
/// from 1.
std::string saidOfPress(const Heard& heard, const TempoMap& map);

} // namespace ivrin
