// One decoded stem as a file: a page of header, a plane of floats for each side, the peaks, and a checksum for every
// block of all that. Written once, then mapped read-only.
//
//   page 0      Header, with a checksum of its own and one of the table of checksums
//   planes      channels × planeBytes, each a whole number of pages
//   peaks       the levels of the pyramid, one after the other
//   checksums   XXH3, 64 bits, of every mebibyte of each plane, then of the peaks
#pragma once

#include "audio/audio_reader.h"
#include "audio/mapped_file.h"
#include "audio/peaks.h"

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace ivrin {

/// One stem at the song's rate, read-only, mapped from the store.
class StemAudio {
 public:
  StemAudio(const StemAudio&) = delete;
  StemAudio& operator=(const StemAudio&) = delete;

  int channels() const { return channels_; }
  std::int64_t frames() const { return frames_; }
  /// `frames()` samples; for mono both sides are the same plane.
  const float* left() const { return left_; }
  const float* right() const { return right_; }
  const PeakView& peaks() const { return peaks_; }
  /// Samples of the file that are no numbers or beyond all sound, silenced here.
  std::int64_t badSamples() const { return badSamples_; }
  bool truncated() const { return truncated_; }
  int fileRate() const { return fileRate_; }
  int songRate() const { return songRate_; }
  const std::string& digest() const { return digest_; }
  /// Asks the system to have these frames in memory soon; does not wait.
  void prefetch(std::int64_t begin, std::int64_t end) const;

  /// A part of it was not there when it was read, and is silent since.
  bool damaged() const { return map_->damaged(); }
  /// Compares all of it with its checksums: a second for some gigabytes. True as well when asked to stop.
  bool verify(std::stop_token stop = {}) const;

 private:
  friend class StemFile;
  StemAudio() = default;
  std::unique_ptr<MappedFile> map_;
  int channels_ = 0, fileRate_ = 0, songRate_ = 0;
  std::int64_t frames_ = 0, badSamples_ = 0;
  std::vector<std::int64_t> parts_; // bytes of each plane, and of the peaks
  bool truncated_ = false;
  const float* left_ = nullptr;
  const float* right_ = nullptr;
  PeakView peaks_;
  std::string digest_;
};

class StemFile {
 public:
  static constexpr int kVersion = 3; // of what lies in the file; part of its name
  /// More than any file that is brought in; below, sums of sizes cannot overflow.
  static constexpr std::int64_t kMostFrames = std::int64_t{1} << 40;

  struct Written {
    std::string why;         // empty on success; "stopped" when asked to stop
    std::int64_t frames = 0; // that there were
  };
  /// Decodes `reader`, which should hold `frames`, into a new file. Where it holds fewer than half of them, as a header
  /// that promises too much has it, nothing is kept ("short"), to be written again with what there is.
  static Written write(AudioReader& reader, std::int64_t frames, int songRate, const std::filesystem::path& target,
                       std::stop_token stop, const Progress& progress);
  /// Nothing, with `why`, where it cannot be mapped; nothing with an empty `why` where it is damaged or of another
  /// version.
  static std::shared_ptr<const StemAudio> open(int fd, int songRate, const std::string& digest, std::string& why);
};

} // namespace ivrin
