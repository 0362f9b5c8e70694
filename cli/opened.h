// A song as the commands open it, and write it again.
#pragma once

#include "commands.h"
#include "render/open_song.h"

namespace ivrin::cli {

void say(const std::string& file, const Problems& problems);
/// "a,b" → a, b
std::vector<std::string> listOf(const std::string& commas);
std::optional<OpenedSong> open(const SongOptions& o, Problems& problems);
/// An opened song without any error, or nothing with the errors said.
std::optional<OpenedSong> openSound(const SongOptions& o);
/// Writes a song file after its text was read back and compared; false with the reason said.
bool writeSongFile(const Song& song, const std::filesystem::path& out);
/// Writes `song`, made of what was opened, as `out`: paths mean the same from there. With room before it for what an
/// edit made sound there; what could not be read again is not written. The exit status.
int writeEdited(const OpenedSong& was, Song song, const std::string& out, const std::string& done);
/// The id of a row or an ornament that is there, or false with the nearest one said.
bool isRow(const Song& song, const std::string& option, const std::string& id);
bool isOrnament(const Song& song, const std::string& option, const std::string& id);

} // namespace ivrin::cli
