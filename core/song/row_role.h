// What a row is in a song: where it stands among the others, and what recipes look for it for.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

/// In the order in which they stand in a new song, from the top.
enum class RowRole { voice, harmony, texture, effects, bass, drums };
inline constexpr std::array<RowRole, 6> kRowRoles = {RowRole::voice,   RowRole::harmony, RowRole::texture,
                                                     RowRole::effects, RowRole::bass,    RowRole::drums};

/// As in the song file: "voice".
const char* roleWord(RowRole role);
std::optional<RowRole> roleOfWord(std::string_view word);
/// What a name says: "Lead Vox 2", "KICK_in", "808". Nothing where it says nothing.
std::optional<RowRole> roleOfName(std::string_view name);

/// Names for rows from the names of their files, without extension: what all of them begin and end with is left out
/// (a song's name, a number, a tempo), as far as whole words go and something is left; underscores are spaces, the
/// first letter is a capital.
std::vector<std::string> rowNames(const std::vector<std::string>& fileNames);

} // namespace ivrin
