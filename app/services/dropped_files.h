// This file turns files and folders that were dropped on the window into the files that are meant. It is bounded in
// files, entries and depth.
#pragma once

#include <filesystem>
#include <stop_token>
#include <vector>

namespace ivrin {

inline constexpr std::size_t kMostOfADrop = 512; // files of one folder

/// A file itself; of a folder its sound and MIDI files, and those below it, by name: kMostOfADrop at most, of 100 000
/// entries at most, 16 folders deep, links not followed.
std::vector<std::filesystem::path> droppedFiles(const std::vector<std::filesystem::path>& dropped,
                                                const std::stop_token& stop);

} // namespace ivrin
