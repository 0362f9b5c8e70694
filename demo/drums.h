// What the drummer plays and others must know.
#pragma once

#include <vector>

namespace lantern {

/// Beats of the bar with a kick, on the grid.
std::vector<double> kickBeats(int bar);

} // namespace lantern
