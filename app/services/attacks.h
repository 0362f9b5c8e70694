// This file finds the attacks of a row, in song frames.
#pragma once

#include "analysis/phrases.h"

#include <stop_token>

namespace ivrin {

/// As OnsetFinder finds them, ascending. Those so far, when asked to stop.
std::vector<Frames> attacksIn(const RowReader& row, FrameRange range, double sampleRate, const std::stop_token& stop);

} // namespace ivrin
