// Reading and replacing small files so that a crash or a full disk never leaves half of one.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

/// "a file", "a folder", "a pipe", "a device", "a socket", "a link that leads nowhere"; empty where nothing is there.
/// Links are followed.
std::string whatItIs(const std::filesystem::path& file);

/// What an error of the system means to who reads it; a limit on the size of files stops writing as a full disk does.
std::string systemWords(int error);

/// Nothing, with `why` naming the file, when it cannot be read or is larger than `maxBytes`.
std::optional<std::string> readWholeFile(const std::filesystem::path& file, std::size_t maxBytes, std::string& why);

/// A file that is not there yet: it is written, and then put in its place as a whole, or it is gone. Where the file
/// system can, it has no name until then and a killed process leaves nothing; elsewhere it is FILE.new-PID-N.
class NewFile {
 public:
  /// Readable and writable; `fd()` is −1 (and errno says why) where it cannot be.
  explicit NewFile(std::filesystem::path target, unsigned mode = 0644);
  ~NewFile();
  NewFile(const NewFile&) = delete;
  NewFile& operator=(const NewFile&) = delete;
  int fd() const { return fd_; }
  /// All of `bytes` at `offset`. False, with errno.
  bool writeAt(const void* data, std::int64_t bytes, std::int64_t offset) const;
  /// Whether reading it gives these bytes and no more. False, with errno.
  bool holds(std::string_view contents) const;
  /// Syncs it and renames it over the target. False, with errno: what was there is as it was.
  bool putInPlace();

 private:
  bool syncFolder() const;
  bool copyUnderName();
  std::filesystem::path target_;
  std::filesystem::path name_; // empty: it has none
  int fd_ = -1;
};
/// What processes that were killed left beside these targets, where files need a name; after a minute.
void removeLeftovers(const std::vector<std::filesystem::path>& targets);

/// What is no file (a pipe, a link, a folder) goes out of the way of an entry of a cache: it is removed, but for a
/// folder that holds something, which is named NAME.aside-N. False where that fails.
bool makeWay(const std::filesystem::path& entry);

/// Writes beside the file, reads that back, syncs, then renames over it (and syncs the folder). With `keepVersions` > 0
/// the former contents stay as FILE~1, FILE~2 …, newest first. Never over anything but a regular file. False, with
/// `why`, leaves the old file as it was.
bool replaceFile(const std::filesystem::path& file, std::string_view contents, std::string& why, int keepVersions = 0);

} // namespace ivrin
