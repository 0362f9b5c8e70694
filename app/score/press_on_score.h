// This file decides where in the score an ornament is to stand when a key or a sign is pressed for its kind.
#pragma once

#include "time/beats.h"

#include <optional>
#include <string>

namespace ivrin {
struct Ornament;
}

namespace ivrin::app {

class ScoreView;

/// On the selection; without one pressed again, on the open ornament that a first press has placed; after the open one,
/// where the kind follows another; else by the landing. Where it can stand nowhere, that is said.
void pressOnScore(ScoreView& view, const std::string& kind);
/// Where a kind that needs no selection would stand, by the landing that bars are counted to.
std::optional<BeatRange> stretchAtLanding(const ScoreView& view, const std::string& kind);
/// The open ornament, where it is of this kind.
const Ornament* openOfKind(const ScoreView& view, const std::string& kind);

} // namespace ivrin::app
