// The first key press: an ornament whose settings fit the place, ready to keep; and the key pressed again.
#pragma once

#include "manners/manners.h"

namespace ivrin {

/// `kind` must be in `kinds`, `row` a row of the song, `stretch` not empty. The ornament gets a fresh id; it is not yet
/// part of the song. A kind without manners (of a test) keeps its file's defaults.
Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses = nullptr);

/// The same key pressed again on the same stretch, by the manners of the kind. Nothing where this is a first press.
std::optional<PressedAgain> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                         BeatRange stretch);

} // namespace ivrin
