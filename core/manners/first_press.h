// The first key press: an ornament whose settings fit the place, ready to keep; and the key pressed again.
#pragma once

#include "manners/manners.h"

namespace ivrin {

/// `kind` must be in `kinds`, `row` a row of the song, `stretch` not empty. The ornament gets a fresh id; it is not yet
/// part of the song. A kind without manners (of a test) keeps its file's defaults.
Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses = nullptr);

/// The same with what was heard. Refused (`heard.refusal`) where nothing sounds in the stretch and the kind needs
/// sound, where it lies outside the song, and where what is pressed on is longer than the kind can take: the ornament
/// is then as it came, not to be kept.
struct Pressed {
  Ornament ornament;
  Heard heard;
};
Pressed press(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
              BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses = nullptr,
              const PressWish* wish = nullptr);

/// The same key pressed again on the same stretch, by the manners of the kind. Nothing where this is a first press.
std::optional<PressedAgain> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                         BeatRange stretch);

} // namespace ivrin
