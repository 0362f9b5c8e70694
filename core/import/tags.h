// What the tags of an audio file say of the music in it (ID3v2, Vorbis comments, RIFF INFO, AIFF NAME; tag_fields.h).
#pragma once

#include "song/song.h"

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace ivrin {

struct Tags {
  std::string title;         // up to 1000 bytes
  std::optional<double> bpm; // 20..400
  std::optional<Key> key;
};

/// Nothing where there are none, or the file cannot be read: that is told by who reads its sound.
Tags tagsOf(const std::filesystem::path& file);

/// "Dm", "F♯ minor", "Bbmaj", "E♭": a key as people and ID3v2 (TKEY) write it. Nothing for anything else.
std::optional<Key> readKey(std::string_view text);

} // namespace ivrin
