// Edits: Song → Song. Every function returns a whole new song that shares what it did not touch; none of them
// throws for ids that do not exist, they return the song as it was.
#pragma once

#include "song/song.h"

namespace ivrin {

Song withOrnament(Song song, Ornament o); // appended: the last on its row
Song withoutOrnament(Song song, const std::string& id);
Song withOrnamentReplaced(Song song, Ornament o); // same id
Song withSetting(Song song, const std::string& ornament, const std::string& key, Value v);
Song withRowMix(Song song, const std::string& row, RowMix mix);
/// Moves a section or landing; every ornament tied to it moves by the same ticks.
Song withLandingMoved(Song song, const std::string& id, Beats to);
Song withStem(Song song, Stem s);
/// An id no ornament has: "o1", "o2", …
std::string freshOrnamentId(const Song& song);
/// An id no row has, made from a name: "Lead Voice" → "lead-voice", "lead-voice-2", …
std::string freshRowId(const Song& song, const std::string& name);

} // namespace ivrin
