// Signals with a known answer, and songs made from them.
#pragma once

#include "render/evaluator.h"
#include "render/open_song.h"
#include "test_support/places.h"

#include <filesystem>
#include <functional>
#include <memory>

namespace ivrin::test {

/// How often something is tried: all of `n` in the release build; a part of it under sanitizers, where every try takes
/// many times as long and another sort of mistake is looked for.
inline int tries(int n) {
  return kSanitized ? (n + 5) / 6 : n;
}

/// A folder of its own that goes with the test.
class TempFolder {
 public:
  TempFolder();
  ~TempFolder();
  const std::filesystem::path& path() const { return path_; }
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }

 private:
  std::filesystem::path path_;
};

using Signal = std::function<float(std::int64_t frame, int side)>;
Signal silence();
Signal impulseAt(std::int64_t frame, float level = 1);
Signal sine(double hz, double rate, double level);
/// White, −level..level, the same for the same seed; sides differ.
Signal noise(std::uint64_t seed, double level);
Signal square(double hz, double rate, double level);
/// `inner` in [begin, end), silence elsewhere.
Signal only(std::int64_t begin, std::int64_t end, Signal inner);

/// A signal, or a sound from its first frame on, as a row is read.
/// A sound as what reads it takes it, at any place: by frame number, and by song frame.
std::function<void(std::int64_t from, StereoSpan out)> feedOf(Signal s);
std::function<void(Frames from, StereoSpan out)> readerOf(Signal s);
std::function<void(Frames from, StereoSpan out)> readerOf(const StereoBuffer& b);

/// 32-bit float WAV.
void writeWav(const std::filesystem::path& file, int rate, int channels, std::int64_t frames, const Signal& s);
std::string fileBytes(const std::filesystem::path& file);
StereoBuffer readWav(const std::filesystem::path& file, int* rate = nullptr);
StereoBuffer fill(std::int64_t frames, const Signal& s);

/// A song with stems from signals, imported into a store of its own.
class TestSong {
 public:
  explicit TestSong(int rate = 48000, double bpm = 120);
  /// Adds a stem "id"; its file is written as 32-bit float.
  void stem(const std::string& id, std::int64_t frames, const Signal& s, int channels = 2, int fileRate = 0,
            double offsetSeconds = 0);
  Ornament& ornament(const std::string& kind, const std::string& on, double start, double length,
                     Settings settings = {});
  /// The plan of the song as it stands; the cache is kept between calls.
  std::shared_ptr<const RenderPlan> plan();
  void useKinds(const KindSet& kinds) { kinds_ = &kinds; }

  Song song;
  SongAudio audio;
  PrintCache cache;
  TempFolder folder;
  Problems problems;               // of the last plan()
  std::vector<Ornament> ornaments; // put into the song by plan()
  const StemStore& store() const { return store_; }

 private:
  StemStore store_;
  const KindSet* kinds_ = &allKinds();
  std::shared_ptr<const RenderPlan> former_;
};

/// The print of one ornament, complete, from its first frame on.
StereoBuffer printOf(const RenderPlan& plan, const std::string& id);
/// A stretch of a row after gain and pan, or of the mix before gain and limiter.
StereoBuffer rowOut(const RenderPlan& plan, const std::string& row, std::int64_t from, std::int64_t frames);
StereoBuffer mixOut(const RenderPlan& plan, std::int64_t from, std::int64_t frames);

/// Index and value of the largest magnitude in [from, to).
struct PeakAt {
  std::int64_t frame = -1;
  float value = 0;
};
PeakAt peakIn(const float* x, std::int64_t from, std::int64_t to);
float largest(const StereoBuffer& b);
double rmsDb(const float* x, std::int64_t n);
/// Amplitude of `hz` in x by projection on sine and cosine over whole cycles (Hann window).
double toneLevel(const float* x, std::int64_t n, double hz, double rate);

} // namespace ivrin::test
