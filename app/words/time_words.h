// Places and lengths in a song as musicians say them.
#pragma once

#include "time/tempo_map.h"

#include <QString>

#include <optional>

namespace ivrin::app {

/// "⅓", what is left of a whole; empty for nothing left, none where it is no fraction that people say.
std::optional<QString> fractionText(double rest);
/// "22.1.3": bar, beat, sixteenth.
QString barWords(const TempoMap& map, Beats at);
/// "2 bars 3 beats", "1¾ beats"
QString spanWords(const TempoMap& map, Beats from, Beats length);

} // namespace ivrin::app
