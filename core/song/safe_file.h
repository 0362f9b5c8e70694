// Reading and replacing small files so that a crash or a full disk never leaves half of one.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace ivrin {

/// Nothing, with `why` naming the file, when it cannot be read or is larger than `maxBytes`.
std::optional<std::string> readWholeFile(const std::filesystem::path& file, std::size_t maxBytes, std::string& why);

/// A new file beside `target` that nobody else has: FILE.new-PID-N, opened for reading and writing; `fd` −1 (and errno)
/// where it cannot be. Whoever takes it writes it, syncs it and renames it over the target, or unlinks it.
struct NewFile {
  int fd = -1;
  std::filesystem::path path;
};
NewFile openBeside(const std::filesystem::path& target, unsigned mode = 0644);
/// What processes that were killed left beside `target` by openBeside() goes, after a minute.
void removeLeftovers(const std::filesystem::path& target);

/// Writes beside the file, syncs, then renames over it (and syncs the folder). With `keepVersions` > 0 the former
/// contents stay as FILE~1, FILE~2 …, newest first. Never over anything but a regular file. False, with `why`, leaves
/// the old file as it was.
bool replaceFile(const std::filesystem::path& file, std::string_view contents, std::string& why, int keepVersions = 0);

} // namespace ivrin
