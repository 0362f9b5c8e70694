// Decoding an audio file (libsndfile: WAV, RF64, FLAC, AIFF, Ogg, MP3) with conversion to the song's rate (soxr).
#pragma once

#include "song/problem.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>

namespace ivrin {

/// Endings by which files of sound are looked for; what is in them is told by reading.
/// Endings of the files that can be read, small.
inline constexpr const char* kSoundEndings[] = {".wav", ".flac", ".aiff", ".aif", ".ogg", ".mp3", ".w64", ".rf64"};
/// Whether a name has one of them, in whatever case.
bool isSoundName(const std::filesystem::path& file);

struct AudioInfo {
  int channels = 0; // 1 or 2
  int fileRate = 0; // Hz, as in the file
  std::int64_t fileFrames = 0;
  /// Frames from midnight to its first one, where the file says so (EBU Tech 3285, the bext chunk of a WAV file).
  std::optional<std::int64_t> timeReference{};
  std::string title{};         // of the recording, where the file says it
  std::optional<double> bpm{}; // 20..400, of its loop information
};

/// Called with the frames decoded so far and the file's total.
using Progress = std::function<void(std::int64_t done, std::int64_t total)>;

inline constexpr float kLargestSample = 1e6f; // beyond, a sample counts as broken, like what is no number
/// Zeroes NaN, infinities and what is beyond all sound; returns how many there were.
std::int64_t silenceBroken(float* x, std::int64_t n);

class AudioReader {
 public:
  /// Opens and checks; on failure appends one problem (broken_audio or unreadable) at `place` and returns nothing.
  /// More than two channels and zero frames are refused with the reason.
  static std::unique_ptr<AudioReader> open(const std::filesystem::path& file, int songRate, const std::string& place,
                                           Problems& problems);
  virtual ~AudioReader() = default;
  virtual const AudioInfo& info() const = 0;
  /// Frames at the song's rate: the file's frames, or nearest to frames·songRate/fileRate.
  virtual std::int64_t frames() const = 0;
  /// Next frames as planar samples; returns how many, 0 at the end. `right` is untouched for mono.
  virtual std::int64_t read(float* left, float* right, std::int64_t maxFrames) = 0;
  /// Set after the last read when the file held fewer frames than it promised.
  virtual bool truncated() const = 0;
  /// Why the file could not be read, by the system, so far; mostly empty. What was read then is not the sound.
  virtual std::string failure() const = 0;
};

} // namespace ivrin
