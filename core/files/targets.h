// What may be written where: never over what a song is made of, over anything that is not a regular file, or over a
// file of another kind.
#pragma once

#include "song/song.h"

#include <cstdint>
#include <filesystem>
#include <set>
#include <string>
#include <utility>

namespace ivrin {

/// The files that a song takes sound from, stems and impulse responses, by what they are on the disk and not by name.
class Sources {
 public:
  explicit Sources(const Song& song);
  bool has(const std::filesystem::path& file) const;

 private:
  std::set<std::pair<std::uint64_t, std::uint64_t>> known_; // device, inode
};

enum class TargetKind { song, sound };
/// Why a file of this kind must not be written there, or nothing. Under whatever name, a source is a source.
std::string whyNotWritten(const std::filesystem::path& target, TargetKind kind, const Sources& sources);

} // namespace ivrin
