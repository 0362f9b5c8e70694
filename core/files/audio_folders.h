// Which files a song may read: its own folder and below, after resolving links, and folders the user allowed.
#pragma once

#include "song/problem.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace ivrin {

struct AudioFolders {
  std::filesystem::path songFolder;           // where relative paths begin
  std::vector<std::filesystem::path> allowed; // further folders
};

/// The resolved file, or nothing with one problem (missing_audio or out_of_reach) at `place`.
std::optional<std::filesystem::path> resolveAudio(const AudioFolders& folders, const std::string& file,
                                                  const std::string& place, Problems& problems);
/// Absolute and without "." and "..", by its text alone; as it is where the working folder is gone. Never throws.
std::filesystem::path plainPath(const std::filesystem::path& file);
/// Where a file really lies, links followed as far as there is something; plainPath() where that cannot be told.
std::filesystem::path realPath(const std::filesystem::path& file);
/// `file` as it is named from `songFolder`, made absolute; nothing else about it is changed.
std::string absolutePath(const std::string& file, const std::filesystem::path& songFolder);
/// How `file` is best written into a song in `songFolder`: relative when it lies below, else absolute.
std::string pathForSong(const std::filesystem::path& file, const std::filesystem::path& songFolder);

} // namespace ivrin
