// Stems decoded once into float files in the cache folder, then mapped read-only.
//
// Invariants:
//  1. A store file is complete: written under another name, synced, then renamed.
//  2. A store file is never changed after that, only unlinked; a mapping stays valid until it is released.
//  3. The file's name is made of the source file's digest, the sample rate and the store version: equal names,
//     equal contents.
#pragma once

#include "audio/stem_file.h"

#include <filesystem>
#include <memory>
#include <string>

namespace ivrin {

class StemStore {
 public:
  /// `budgetBytes` bounds the store's files; after an import the ones opened longest ago go. What is open stays usable:
  /// a mapping outlives its file's name.
  explicit StemStore(std::filesystem::path cacheFolder, std::uintmax_t budgetBytes = std::uintmax_t{20} << 30);
  /// Files whose digest is remembered; half of them go where there are more.
  static constexpr std::size_t kMostDigests = 4096;
  /// The user's cache folder for Ivrin: $XDG_CACHE_HOME/ivrin or ~/.cache/ivrin.
  static std::filesystem::path defaultFolder();

  /// Opens from the store, importing first if needed. Nothing, with one error at `place`, when the file is broken,
  /// the disk is full or `stop` was requested (then without an error). Thread-safe.
  std::shared_ptr<const StemAudio> open(const std::filesystem::path& file, int songRate, const std::string& place,
                                        Problems& problems, std::stop_token stop = {},
                                        const Progress& progress = {}) const;
  /// What was found damaged: its file goes, so that the next open() brings it in anew.
  void forget(const StemAudio& audio) const;
  /// Digest of the file's bytes (XXH3, 128 bits, hexadecimal), remembered by path, size, time and inode. Empty where it
  /// cannot be read, or `stop` was requested.
  std::string digestOf(const std::filesystem::path& file, const std::stop_token& stop = {}) const;

 private:
  void trim() const;
  void trimDigests() const;
  std::filesystem::path fileOf(const std::string& digest, int songRate) const;
  std::filesystem::path folder_;
  std::uintmax_t budget_;
};

} // namespace ivrin
