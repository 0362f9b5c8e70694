// Edits of the rows of a song: what is in it, in which order, on which bus. Song → Song, as edits.h.
#pragma once

#include "song/settings/setting_spec.h"
#include "song/song.h"

namespace ivrin {

/// Stems by their roles, as RowRole has them in order, those without one behind harmony; otherwise as they stand.
Song withRowsByRole(Song song);
/// What a row is: as it says, else as its name says.
std::optional<RowRole> roleOfRow(const Song& song, const std::string& row);
Song withRole(Song song, const std::string& row, std::optional<RowRole> role);
Song withRowName(Song song, const std::string& row, const std::string& name);
/// A stem, or a bus with all its stems, before another row of the score, or last where `before` is "mix". A stem stays
/// on its bus, and comes before or behind it all where `before` is not of its bus.
Song withRowBefore(Song song, const std::string& row, const std::string& before);
/// A stem onto a bus, behind the others there, or off it. Only stems have one.
Song withStemOnBus(Song song, const std::string& stem, const std::optional<std::string>& bus);
/// A new, empty bus.
Song withBus(Song song, Bus bus);
/// Without a stem and the ornaments on it, or a bus and those on it: its stems go to the mix. What takes its sound, or
/// a duck's key, from a row that is gone takes it from its own row.
Song withoutRow(Song song, const std::string& row, const Registry& registry);
/// How many ornaments go with it.
int ornamentsOn(const Song& song, const std::string& row);

} // namespace ivrin
