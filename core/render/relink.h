// Finding the files of stems that are not where the song says, and pointing rows at others.
#pragma once

#include "audio/stem_store.h"
#include "song/song.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace ivrin {

/// A file for a row: which, and what it is.
struct StemFound {
  std::string stem;
  std::filesystem::path file;
  std::string digest;
  std::int64_t frames = 0; // of the file, at its own rate
  bool sameSound = false;  // its bytes are those that the song had before
};

/// The file that the user points at, for this row. Nothing, with a problem, where it cannot be read.
std::optional<StemFound> stemAt(const Song& song, const std::string& stem, const std::filesystem::path& file,
                                const StemStore& store, Problems& problems, std::stop_token stop = {});
/// Looks for the files of these stems in a folder and below: by their bytes where the song knows them, else by name and
/// length. Links are not followed; of a folder without end the first 100 000 entries are looked at.
std::vector<StemFound> findStems(const Song& song, const std::vector<std::string>& stems,
                                 const std::filesystem::path& folder, const StemStore& store, std::stop_token stop = {},
                                 const Progress& progress = {});
/// Stems whose file is another one now than what is heard of them, whose digests are given, and can be read: the
/// digest of the file as it is.
std::map<std::string, std::string> writtenAnew(const Song& song, const std::map<std::string, std::string>& heard,
                                               const StemStore& store, std::stop_token stop = {});
/// The rows point at these files; nothing else of them changes.
Song withStemsFound(Song song, const std::vector<StemFound>& found);

} // namespace ivrin
