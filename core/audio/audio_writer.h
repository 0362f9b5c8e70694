// Writing audio files. The file appears under its name only when it is whole.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace ivrin {

enum class AudioFormat { wav16, wav24, wav32f, flac16, flac24 };
std::optional<AudioFormat> audioFormat(std::string_view name);
/// Of stereo, before any packing.
int bytesPerFrame(AudioFormat f);
/// ".wav" or ".flac".
std::string extensionOf(AudioFormat f);

class AudioWriter {
 public:
  /// Stereo at `sampleRate`, `frames` long in all (decides WAV or RF64). Throws std::runtime_error naming the file.
  /// `ditherSeed` tells files apart in 16-bit formats; dither depends on absolute frame, channel and seed only.
  /// `timeReference`: frames from midnight to the first one; WAV files say it (bext).
  AudioWriter(std::filesystem::path file, AudioFormat format, int sampleRate, std::int64_t frames,
              std::uint64_t ditherSeed, std::optional<std::int64_t> timeReference = {});
  ~AudioWriter(); // drops an unfinished file
  AudioWriter(const AudioWriter&) = delete;
  AudioWriter& operator=(const AudioWriter&) = delete;
  /// `absoluteFrame` is the song frame of the first sample (for the dither).
  void write(const float* left, const float* right, std::int64_t frames, std::int64_t absoluteFrame);
  /// Closes, syncs and puts the file in its place. Throws std::runtime_error.
  void finish();
  /// Samples over full scale that were clipped (integer formats).
  std::int64_t clipped() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

} // namespace ivrin
