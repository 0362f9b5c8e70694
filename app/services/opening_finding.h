// This file finds the openings of a song's rows, from what is found of the rows, and says which kinds suit each.
#pragma once

#include "analysis/openings.h"
#include "services/findings.h"

namespace ivrin {

/// Of these rows, in the order of their places; before the landings when the mix is among them; where sections turn on
/// the mix and on drums. `findings` look for attacks. On so many threads; nothing of use when asked to stop.
std::vector<Opening> openingsOf(const std::shared_ptr<const RenderPlan>& plan, const std::vector<std::string>& rows,
                                Findings& findings, int threads, std::stop_token stop = {});

/// Less than this nobody looks for: the window leaves it out.
inline constexpr double kWorthShowing = 0.4;

/// What an ornament takes there: the word before a gap, the note itself, the hit, the bars before a landing. `phrases`
/// and `attacks` of its row.
BeatRange sourceOf(const Opening& o, const TempoMap& map, const std::vector<FrameRange>& phrases,
                   const std::vector<Frames>& attacks);

} // namespace ivrin
