// This file computes the peaks of buses and the mix as they sound, for drawing. They are made anew only where what they
// show has changed.
#pragma once

#include "audio/peaks.h"
#include "render/render_plan.h"

#include <map>
#include <memory>
#include <stop_token>
#include <string>

namespace ivrin {

struct RowPeaks {
  std::string sound; // provenance of the row, and whether all its prints were there
  bool whole = false;
  std::shared_ptr<const PeakPyramid> peaks;
};
using AllRowPeaks = std::map<std::string, RowPeaks>; // by row

/// Of every row that is not a stem. Prints count as far as they are there. `known` is what was made last; nothing when
/// asked to stop.
std::optional<AllRowPeaks> rowPeaks(const RenderPlan& plan, const AllRowPeaks& known, std::stop_token stop);

} // namespace ivrin
