#include "audio/audio_reader.h"

#include "audio/data_length.h"
#include "audio/sound_file_io.h"
#include "files/safe_file.h"
#include "song/limits.h"
#include "words/words.h"

#include <sndfile.h>
#include <soxr.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <vector>

namespace ivrin {
namespace {

constexpr std::int64_t kBlock = 32768;

/// A WAV file of unknown length with the length that is there (little endian: only RIFF comes here).
std::unique_ptr<SoundFileIo> withLength(const std::filesystem::path& file, const DataLength& data) {
  const auto size = static_cast<std::uint32_t>(std::min<std::int64_t>(data.there, 0x7fffffff));
  std::string bytes;
  for (int i = 0; i < 4; ++i) bytes += static_cast<char>(size >> (8 * i) & 0xff);
  return std::make_unique<SoundFileIo>(file, data.at - 4, bytes);
}

/// Where a FLAC file's header has 36 bits for its length, and the byte they share; nothing for other files and where
/// the length is known (RFC 9639, 8.2: STREAMINFO is the first block; 0 stands for an unknown length).
std::optional<char> streamedFlac(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  char head[26];
  if (!in.read(head, sizeof head) || std::string_view(head, 4) != "fLaC" || (head[4] & 0x7f) != 0) return std::nullopt;
  if ((head[21] & 15) != 0 || std::any_of(head + 22, head + 26, [](char c) { return c != 0; })) return std::nullopt;
  return head[21];
}
constexpr std::int64_t kFlacLengthAt = 21;

std::unique_ptr<SoundFileIo> withFlacLength(const std::filesystem::path& file, char shared, std::int64_t frames) {
  std::string bytes(1, static_cast<char>((shared & 0xf0) | static_cast<char>(frames >> 32 & 15)));
  for (int shift = 24; shift >= 0; shift -= 8) bytes += static_cast<char>(frames >> shift & 0xff);
  return std::make_unique<SoundFileIo>(file, kFlacLengthAt, bytes);
}

/// The frames there are in a FLAC file that does not say: by decoding it once; no more than `most` and one.
std::int64_t countFlac(const std::filesystem::path& file, char shared, std::int64_t most) {
  SF_INFO info{};
  const auto source = withFlacLength(file, shared, std::min<std::int64_t>(most + kBlock, (std::int64_t{1} << 36) - 1));
  SNDFILE* f = source->open(SFM_READ, info);
  if (!f) return 0;
  std::vector<float> block(static_cast<std::size_t>(kBlock * std::max(1, info.channels)));
  std::int64_t frames = 0;
  while (frames <= most) {
    const sf_count_t n = sf_readf_float(f, block.data(), kBlock);
    if (n <= 0) break;
    frames += n;
  }
  sf_close(f);
  return frames;
}

std::optional<std::int64_t> timeReferenceOf(SNDFILE* file) {
  SF_BROADCAST_INFO bext{};
  if (sf_command(file, SFC_GET_BROADCAST_INFO, &bext, sizeof bext) != SF_TRUE) return std::nullopt;
  const std::uint64_t at = (std::uint64_t{bext.time_reference_high} << 32) | bext.time_reference_low;
  constexpr std::uint64_t kMost = 768000ull * 3600 * 24 * 365; // a year: more is no time of a day
  return at <= kMost ? std::optional(static_cast<std::int64_t>(at)) : std::nullopt;
}

std::string titleOf(SNDFILE* file) {
  const char* title = sf_get_string(file, SF_STR_TITLE);
  return title ? std::string(title).substr(0, 1000) : std::string();
}
std::optional<double> bpmOf(SNDFILE* file) {
  SF_LOOP_INFO loop{};
  if (sf_command(file, SFC_GET_LOOP_INFO, &loop, sizeof loop) != SF_TRUE) return std::nullopt;
  const auto bpm = static_cast<double>(loop.bpm);
  return bpm >= 20 && bpm <= 400 ? std::optional(bpm) : std::nullopt;
}

class SndfileReader : public AudioReader {
 public:
  SndfileReader(SNDFILE* file, const SF_INFO& info, int songRate, bool shortData, std::unique_ptr<SoundFileIo> source)
      : source_(std::move(source))
      , file_(file)
      , short_(shortData) {
    info_ = {info.channels, info.samplerate, info.frames, timeReferenceOf(file), titleOf(file), bpmOf(file)};
    if (info.samplerate == songRate) {
      frames_ = info.frames;
    } else {
      frames_ = std::llround(static_cast<double>(info.frames) * songRate / info.samplerate);
      const soxr_quality_spec_t quality = soxr_quality_spec(SOXR_VHQ, 0);
      const soxr_io_spec_t io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
      const soxr_runtime_spec_t runtime = soxr_runtime_spec(1);
      soxr_error_t error = nullptr;
      soxr_ =
          soxr_create(info.samplerate, songRate, static_cast<unsigned>(info.channels), &error, &io, &quality, &runtime);
      if (error) soxr_ = nullptr;
      input_.resize(static_cast<std::size_t>(kBlock * info.channels));
      if (soxr_) soxr_set_input_fn(soxr_, &SndfileReader::pull, this, static_cast<std::size_t>(kBlock));
    }
    block_.resize(static_cast<std::size_t>(kBlock * info.channels));
  }
  ~SndfileReader() override {
    sf_close(file_);
    if (soxr_) soxr_delete(soxr_);
  }
  SndfileReader(const SndfileReader&) = delete;
  SndfileReader& operator=(const SndfileReader&) = delete;

  const AudioInfo& info() const override { return info_; }
  std::int64_t frames() const override { return frames_; }
  bool truncated() const override { return short_; }
  std::string failure() const override { return source_->error() == 0 ? "" : systemWords(source_->error()); }
  bool usable() const { return info_.fileRate > 0 && (soxr_ || input_.empty()); }

  std::int64_t read(float* left, float* right, std::int64_t maxFrames) override {
    const std::int64_t want = std::min({maxFrames, kBlock, frames_ - delivered_});
    if (want <= 0) return 0;
    const std::int64_t got =
        soxr_ ? static_cast<std::int64_t>(soxr_output(soxr_, block_.data(), static_cast<std::size_t>(want)))
              : decode(block_.data(), want);
    const float* in = block_.data();
    if (info_.channels == 1) {
      std::copy_n(in, got, left);
    } else {
      for (std::int64_t i = 0; i < got; ++i) {
        left[i] = in[2 * i];
        right[i] = in[2 * i + 1];
      }
    }
    if (got == 0 && decoded_ >= info_.fileFrames) { // the converter rounded its last frame off: silence in its place
      std::fill_n(left, want, 0.0f);
      if (info_.channels == 2) std::fill_n(right, want, 0.0f);
      delivered_ += want;
      return want;
    }
    delivered_ += got;
    if (got == 0 && delivered_ < frames_) short_ = true;
    return got;
  }

 private:
  std::int64_t decode(float* out, std::int64_t want) {
    const std::int64_t got = sf_readf_float(file_, out, want);
    decoded_ += std::max<std::int64_t>(got, 0);
    return std::max<std::int64_t>(got, 0);
  }
  static std::size_t pull(void* self, soxr_in_t* data, std::size_t want) {
    auto* r = static_cast<SndfileReader*>(self);
    *data = r->input_.data();
    return static_cast<std::size_t>(
        r->decode(r->input_.data(), std::min<std::int64_t>(static_cast<std::int64_t>(want), kBlock)));
  }

  std::unique_ptr<SoundFileIo> source_;
  SNDFILE* file_;
  soxr_t soxr_ = nullptr;
  AudioInfo info_;
  bool short_;
  std::int64_t frames_ = 0, delivered_ = 0, decoded_ = 0;
  std::vector<float> block_, input_;
};

} // namespace

std::unique_ptr<AudioReader> AudioReader::open(const std::filesystem::path& file, int songRate,
                                               const std::string& place, Problems& problems) {
  const auto refuse = [&](const std::string& why) {
    problems.error(ErrorId::broken_audio, place, file.string() + ": " + why);
    return nullptr;
  };
  if (const std::string what = whatItIs(file); what != "a file") {
    problems.error(ErrorId::unreadable, place,
                   what.empty() ? worded("%1 cannot be read", file.string())
                                : worded("%1 is %2, not a file", file.string(), worded(what)));
    return nullptr;
  }
  constexpr auto kMostFrames = [](int rate) { return static_cast<std::int64_t>(kLongestSongSeconds * rate); };
  SF_INFO info{};
  const auto length = dataLength(file);
  auto source = std::make_unique<SoundFileIo>(file);
  if (length && length->open && length->promised == 0 && length->there > 0) source = withLength(file, *length);
  if (const auto shared = streamedFlac(file))
    if (const std::int64_t frames = countFlac(file, *shared, kMostFrames(192000)); frames > 0)
      source = withFlacLength(file, *shared, frames);
  SNDFILE* f = source->open(SFM_READ, info);
  if (source->error() != 0) {
    if (f) sf_close(f);
    problems.error(ErrorId::unreadable, place,
                   worded("cannot read %1: %2", file.string(), systemWords(source->error())));
    return nullptr;
  }
  if (!f) return refuse(worded("not an audio file Ivrin can read (%1)", sf_strerror(nullptr)));
  std::string why;
  if (info.channels > 2)
    why = worded("has %1 channels; stems are mono or stereo", info.channels);
  else if (info.channels < 1 || info.samplerate < 1000 || info.samplerate > 768000)
    why = worded("has an impossible header");
  else if (info.frames <= 0)
    why = worded("has no audio (zero frames)");
  else if (info.frames > kMostFrames(info.samplerate))
    why = worded("is longer than 4 hours according to its header");
  if (!why.empty()) {
    sf_close(f);
    return refuse(why);
  }
  auto reader = std::make_unique<SndfileReader>(f, info, songRate, length && length->cutShort(), std::move(source));
  if (!reader->usable()) return refuse(worded("has a sample rate that cannot be converted"));
  return reader;
}

std::int64_t silenceBroken(float* x, std::int64_t n) {
  // One pass without branches tells whether the slow look is needed at all: NaN is not ≤ anything.
  int fine[16] = {};
  std::int64_t i = 0, good = 0;
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) fine[k] += std::abs(x[i + k]) <= kLargestSample;
  for (const int f : fine) good += f;
  for (; i < n; ++i) good += std::abs(x[i]) <= kLargestSample;
  if (good == n) return 0;
  for (i = 0; i < n; ++i)
    if (!(std::abs(x[i]) <= kLargestSample)) x[i] = 0;
  return n - good;
}

bool isSoundName(const std::filesystem::path& file) {
  std::string ending = file.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return std::tolower(c); });
  return std::any_of(std::begin(kSoundEndings), std::end(kSoundEndings), [&](const char* e) { return ending == e; });
}

} // namespace ivrin
