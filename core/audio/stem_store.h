// Stems decoded once into float files in the cache folder, then mapped read-only.
//
// Invariants:
//  1. A store file is complete: written under another name, synced, then renamed.
//  2. A store file is never changed after that, only unlinked; a mapping stays valid until it is released.
//  3. The file's name is made of the source file's digest, the sample rate and the store version: equal names,
//     equal contents.
#pragma once

#include "audio/audio_reader.h"
#include "audio/peaks.h"

#include <filesystem>
#include <memory>
#include <string>

namespace ivrin {

/// One stem at the song's rate, read-only, mapped from the store.
class StemAudio {
 public:
  ~StemAudio();
  StemAudio(const StemAudio&) = delete;
  StemAudio& operator=(const StemAudio&) = delete;

  int channels() const { return channels_; }
  std::int64_t frames() const { return frames_; }
  /// `frames()` samples; for mono both sides are the same plane.
  const float* left() const { return left_; }
  const float* right() const { return right_; }
  const PeakView& peaks() const { return peaks_; }
  /// NaN or infinite samples in the file, silenced here.
  std::int64_t badSamples() const { return badSamples_; }
  bool truncated() const { return truncated_; }
  int fileRate() const { return fileRate_; }
  const std::string& digest() const { return digest_; }
  /// Asks the system to have these frames in memory soon; does not wait.
  void prefetch(std::int64_t begin, std::int64_t end) const;

 private:
  friend class StemStore;
  StemAudio() = default;
  void* map_ = nullptr;
  std::size_t bytes_ = 0;
  int channels_ = 0, fileRate_ = 0;
  std::int64_t frames_ = 0, badSamples_ = 0;
  bool truncated_ = false;
  const float* left_ = nullptr;
  const float* right_ = nullptr;
  PeakView peaks_;
  std::string digest_;
};

class StemStore {
 public:
  /// `budgetBytes` bounds the store's files; after an import the ones opened longest ago go. What is open stays usable:
  /// a mapping outlives its file's name.
  explicit StemStore(std::filesystem::path cacheFolder, std::uintmax_t budgetBytes = std::uintmax_t{20} << 30);
  /// The user's cache folder for Ivrin: $XDG_CACHE_HOME/ivrin or ~/.cache/ivrin.
  static std::filesystem::path defaultFolder();

  /// Opens from the store, importing first if needed. Nothing, with one error at `place`, when the file is broken,
  /// the disk is full or `stop` was requested (then without an error). Thread-safe.
  std::shared_ptr<const StemAudio> open(const std::filesystem::path& file, int songRate, const std::string& place,
                                        Problems& problems, std::stop_token stop = {},
                                        const Progress& progress = {}) const;
  /// Digest of the file's bytes (XXH3, 128 bits, hexadecimal), remembered by path, size, time and inode.
  std::string digestOf(const std::filesystem::path& file) const;

 private:
  void trim() const;
  std::filesystem::path folder_;
  std::uintmax_t budget_;
};

} // namespace ivrin
