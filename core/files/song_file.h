// The song file: reading with every problem named by place, writing with stable key order.
#pragma once

#include "song/problem.h"
#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <filesystem>
#include <optional>
#include <string_view>

namespace ivrin {

/// A song file larger than this is refused before it is read into memory.
inline constexpr std::size_t kMaxSongBytes = 64u << 20;

/// The song, or nothing with at least one error in `problems`. Paths are as the text has them.
std::optional<Song> readSong(std::string_view text, const Registry& registry, Problems& problems);
/// The same from a file. Paths are absolute: they mean the same wherever the song is saved later.
std::optional<Song> readSongFile(const std::filesystem::path& file, const Registry& registry, Problems& problems,
                                 std::string* itsText = nullptr);
/// The lowest version of the song file that holds all of it.
int lowestVersion(const Song& song, const Registry& registry);
/// As that version. Paths as the song has them.
std::string writeSong(const Song& song, const Registry& registry);
/// For a file in `folder`: paths below it are named from there.
std::string writeSongFor(const Song& song, const Registry& registry, const std::filesystem::path& folder);

} // namespace ivrin
