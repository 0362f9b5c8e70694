// This file says where the keyboard's place in the song goes next: by landings, bars, phrases, words, or to the ends.
#pragma once

#include "render/render_plan.h"

#include <optional>
#include <vector>

namespace ivrin::app {

enum class CaretUnit { landing, bar, phrase, word, end };

/// What a row is heard to say, in song frames, ascending.
struct RowSpeech {
  const std::vector<FrameRange>& phrases;
  const std::vector<Frames>& attacks;
};

/// The next place of a unit after `from` (`step` > 0) or before it; nothing where there is none. A word begins where a
/// phrase does, and at every attack within one. A bar line within half a millisecond of the caret counts as the caret's
/// own, as do words and phrases.
std::optional<Beats> caretTarget(CaretUnit unit, int step, Beats from, const RenderPlan& plan, const RowSpeech& speech);

/// The word that sounds at a place, else the next one: from its attack to the next one, or to the end of its phrase.
std::optional<BeatRange> wordAt(Beats at, const TempoMap& map, const RowSpeech& speech);
/// The phrase that sounds at a place, else the next one.
std::optional<BeatRange> phraseAt(Beats at, const TempoMap& map, const RowSpeech& speech);

/// The next larger thing that is said around what is selected: a word, its phrase, the next phrase too. Where nothing
/// is selected, the word at `at` or after it.
std::optional<BeatRange> grown(std::optional<BeatRange> selected, Beats at, const TempoMap& map,
                               const RowSpeech& speech);
/// Back: without its last phrase, its first word.
std::optional<BeatRange> shrunk(BeatRange selected, const TempoMap& map, const RowSpeech& speech);

} // namespace ivrin::app
