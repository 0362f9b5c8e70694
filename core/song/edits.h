// Edits: Song → Song. Every function returns a whole new song that shares what it did not touch; none of them
// throws for ids that do not exist, they return the song as it was.
#pragma once

#include "song/song.h"

#include <functional>

namespace ivrin {

struct WithOrnaments {
  Song song;
  std::vector<std::string> ids; // of the new ones
};

Song withOrnament(Song song, Ornament o); // appended: the last on its row
/// Several, appended in their order under fresh ids.
WithOrnaments withOrnaments(Song song, std::vector<Ornament> ornaments);
Song withoutOrnament(Song song, const std::string& id);
Song withOrnamentsRemoved(Song song, const std::vector<std::string>& ids);
Song withOrnamentReplaced(Song song, Ornament o); // same id
Song withSetting(Song song, const std::string& ornament, const std::string& key, Value v);
Song withRowMix(Song song, const std::string& row, RowMix mix);
/// Moves a section or landing; every ornament tied to it moves by the same ticks.
Song withLandingMoved(Song song, const std::string& id, Beats to);
/// Adds a section or a landing at its place in time.
Song withSection(Song song, Landing l);
Song withLanding(Song song, Landing l);
Song withLandingNamed(Song song, const std::string& id, const std::string& name);
/// What was tied to it stays where it is, tied to nothing.
Song withoutLanding(Song song, const std::string& id);
/// Moves ornaments by the same ticks; those tied to a landing stay tied.
Song withOrnamentsShifted(Song song, const std::vector<std::string>& ids, Beats by);
/// Puts an ornament at place `order` (from 0) among those of its row; the order of things is the order on the row.
Song withOrnamentAt(Song song, const std::string& id, std::size_t order);
/// Place of an ornament among those of its row, from 0.
std::size_t orderOnRow(const Song& song, const std::string& id);
/// Makes variant `slot` ("A".."D") the live one and stores what was live under its own letter. A slot that holds
/// nothing begins as a copy of what was live.
Song withVariant(Song song, const std::string& id, const std::string& slot);
/// Forgets a stored variant; the live one stays.
Song withoutVariant(Song song, const std::string& id, const std::string& slot);
Song withStem(Song song, Stem s);
/// Every path of the song through `change`: stems, and settings whose key ends in "_file" (of ornaments, their finish
/// and their variants) but for what ships ("shipped:NAME").
Song withPaths(Song song, const std::function<std::string(const std::string&)>& change);
/// An id no ornament has: "o1", "o2", …
std::string freshOrnamentId(const Song& song);
/// An id no section or landing has: "s3" or "l3".
std::string freshLandingId(const Song& song, bool section);
/// An id no row has, made from a name: "Lead Voice" → "lead-voice", "lead-voice-2", …
std::string freshRowId(const Song& song, const std::string& name);

} // namespace ivrin
