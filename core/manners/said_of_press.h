// What a first press heard and did, as one line.
#pragma once

#include "manners/manners.h"

#include <functional>
#include <string>

namespace ivrin {

/// "source −21.3 LUFS; the row dies away in 1.4 s; next phrase at 17:1; 4 LU under its source, raised so that it is
/// heard; 11 LU under the mix". Empty where there is nothing to say. In the reader's words; `place` says where in the
/// song something is.
std::string saidOfPress(const Heard& heard, const std::function<std::string(Beats)>& place);

} // namespace ivrin
