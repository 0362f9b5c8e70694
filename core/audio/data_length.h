// How much sound an audio file's header promises and how much is there, by the bytes: libsndfile mends lengths
// silently.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>

namespace ivrin {

struct DataLength {
  std::int64_t at = 0;       // where the data begins in the file, bytes
  std::int64_t promised = 0; // bytes of the sound data as the header says
  std::int64_t there = 0;    // bytes from the data's begin to the end of the file
  /// The header was written before the length was known, as programs that write to a stream leave it (sizes 0, −1 or
  /// about 2 GiB in data and file): such a file is read to its end.
  bool open = false;
  bool cutShort() const { return !open && promised > there; }
};

/// For WAV (RIFF, RIFX, RF64) and AIFF; nothing for other files, and where no data is found.
/// Sources: Multimedia Programming Interface 1.0 (RIFF: chunks are padded to even lengths, the pad is not counted and
/// may be missing at the end), EBU Tech 3306 (RF64), Audio Interchange File Format 1.3.
std::optional<DataLength> dataLength(const std::filesystem::path& file);

} // namespace ivrin
