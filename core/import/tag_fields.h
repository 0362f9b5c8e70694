// Three texts that an audio file may hold in its tags, read within bounds: 1 MiB of the file in all, a thousand frames,
// blocks or chunks of each container, and nothing is ever inflated: compressed and encrypted frames are passed over. A
// file cannot make this take more memory or time than that.
#pragma once

#include <filesystem>
#include <string>

namespace ivrin {

struct TagFields {
  std::string title, bpm, key; // UTF-8 as far as the file says so; up to 64 KiB each
};

/// ID3v2.2 to 2.4 (id3.org; at the start of an MP3 or FLAC file, in WAV and AIFF chunks) and ID3v1; Vorbis comments in
/// FLAC (RFC 9639, 8.6), Ogg Vorbis, Opus and Ogg FLAC (RFC 3533 pages); RIFF INFO; AIFF NAME. Empty where there is
/// nothing, or the file cannot be read.
TagFields tagFieldsOf(const std::filesystem::path& file);

} // namespace ivrin
