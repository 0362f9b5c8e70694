// Places and lengths as people say them: "33:1" is beat 1 of bar 33, "33:1.5" half a beat later (a beat of the meter
// there), "2 bars" and "1/8" lengths; plain numbers are quarter notes, from bar 1 beat 1.
#pragma once

#include "time/tempo_map.h"

#include <optional>
#include <string>
#include <string_view>

namespace ivrin {

/// Nothing where the text is no place. Bars count as they are shown: 1 is the first, 0 the one before it.
std::optional<Beats> readPlace(std::string_view text, const TempoMap& map);
/// A length from `at` on: beats, a note value, bars; a leading "+" is allowed. Nothing where it is none or not over 0.
std::optional<Beats> readLength(std::string_view text, const TempoMap& map, Beats at);
/// "33:1.5", to so many decimals of a beat.
std::string placeText(const TempoMap& map, Beats at, int decimals = 3);

/// Bar, beat, sixteenth of the beat as a clock shows them: "29.2.4", what has been reached.
std::string barText(const TempoMap& map, Beats at);

} // namespace ivrin
