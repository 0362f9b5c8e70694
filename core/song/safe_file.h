// Reading and replacing small files so that a crash or a full disk never leaves half of one.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace ivrin {

/// Nothing, with `why` naming the file, when it cannot be read or is larger than `maxBytes`.
std::optional<std::string> readWholeFile(const std::filesystem::path& file, std::size_t maxBytes, std::string& why);

/// Writes beside the file, syncs, then renames over it (and syncs the folder). With `keepVersions` > 0 the former
/// contents stay as FILE~1, FILE~2 …, newest first. What a killed process left half written beside the file
/// (FILE.new-PID) goes after a minute. False, with `why`, leaves the old file as it was.
bool replaceFile(const std::filesystem::path& file, std::string_view contents, std::string& why, int keepVersions = 0);

} // namespace ivrin
