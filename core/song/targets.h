// What may be written where: never over what a song is made of, over anything that is not a regular file, or over a
// file of another kind.
#pragma once

#include "song/song.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ivrin {

/// Files that the song takes sound from, as it names them: stems and impulse responses.
std::vector<std::filesystem::path> sourcesOf(const Song& song);

enum class TargetKind { song, sound };
/// Why a file of this kind must not be written there, or nothing. Under whatever name, a source is a source.
std::string whyNotWritten(const std::filesystem::path& target, TargetKind kind,
                          const std::vector<std::filesystem::path>& sources);

} // namespace ivrin
