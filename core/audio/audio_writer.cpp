#include "audio/audio_writer.h"

#include "audio/dither.h"
#include "audio/sound_file_io.h"
#include "files/safe_file.h"
#include "words/words.h"

#include <sndfile.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <stdexcept>
#include <vector>

namespace ivrin {
namespace fs = std::filesystem;

std::optional<AudioFormat> audioFormat(std::string_view name) {
  if (name == "wav16") return AudioFormat::wav16;
  if (name == "wav24") return AudioFormat::wav24;
  if (name == "wav32f") return AudioFormat::wav32f;
  if (name == "flac16") return AudioFormat::flac16;
  if (name == "flac24") return AudioFormat::flac24;
  return std::nullopt;
}

static bool isFlac(AudioFormat f) {
  return f == AudioFormat::flac16 || f == AudioFormat::flac24;
}
static bool isSixteen(AudioFormat f) {
  return f == AudioFormat::wav16 || f == AudioFormat::flac16;
}
int bytesPerFrame(AudioFormat f) {
  return 2 * (isSixteen(f) ? 2 : f == AudioFormat::wav32f ? 4 : 3);
}
std::string extensionOf(AudioFormat f) {
  return isFlac(f) ? ".flac" : ".wav";
}

struct AudioWriter::Impl {
  fs::path target;
  std::optional<NewFile> part;
  std::optional<SoundFileIo> sink;
  AudioFormat format;
  SNDFILE* file = nullptr;
  std::uint64_t seed = 0;
  std::int64_t clipped = 0, written = 0;
  std::vector<int> ints;
  std::vector<float> floats;

  /// Whether a file holds so many frames, and its last ones can be decoded: encoders do not always tell of a full disk.
  std::string whyNotWhole(std::int64_t frames) {
    SF_INFO info{};
    SNDFILE* f = sink->open(SFM_READ, info);
    if (!f) return worded("reading back what was written failed: %1", sf_strerror(nullptr));
    std::string why;
    constexpr std::int64_t kLast = 4096;
    const std::int64_t n = std::min(frames, kLast);
    std::vector<float> last(static_cast<std::size_t>(2 * n));
    if (info.frames != frames)
      why = worded("only %2 of %1 frames were written", frames, info.frames);
    else if (n > 0 && (sf_seek(f, frames - n, SEEK_SET) != frames - n || sf_readf_float(f, last.data(), n) != n))
      why = worded("its end could not be read back");
    sf_close(f);
    return why;
  }

  [[noreturn]] void fail(const std::string& why) const {
    throw std::runtime_error(worded("cannot write %1: %2", target.string(), why));
  }
  /// `scale` is 2^(bits−1); the result is left-justified in 32 bits as libsndfile wants it.
  int quantise(float x, double scale, int shift, double dither) {
    const double v = std::nearbyint(static_cast<double>(x) * scale + dither);
    double c = v;
    if (v > scale - 1) c = scale - 1;
    if (v < -scale) c = -scale;
    if (c != v) ++clipped;
    return static_cast<int>(c) * (1 << shift);
  }
};

AudioWriter::AudioWriter(fs::path file, AudioFormat format, int sampleRate, std::int64_t frames,
                         std::uint64_t ditherSeed, std::optional<std::int64_t> timeReference)
    : impl_(std::make_unique<Impl>()) {
  impl_->target = std::move(file);
  impl_->format = format;
  impl_->seed = ditherSeed;
  const bool sixteen = isSixteen(format);
  const int sub = sixteen ? SF_FORMAT_PCM_16 : format == AudioFormat::wav32f ? SF_FORMAT_FLOAT : SF_FORMAT_PCM_24;
  const std::int64_t bytes = frames * bytesPerFrame(format);
  const int major = isFlac(format) ? SF_FORMAT_FLAC : bytes > 0xfff00000ll ? SF_FORMAT_RF64 : SF_FORMAT_WAV;
  SF_INFO info{};
  info.samplerate = sampleRate;
  info.channels = 2;
  info.format = major | sub;
  impl_->part.emplace(impl_->target);
  if (impl_->part->fd() < 0) impl_->fail(systemWords(errno));
  impl_->sink.emplace(*impl_->part);
  impl_->file = impl_->sink->open(SFM_WRITE, info);
  if (!impl_->file) impl_->fail(sf_strerror(nullptr));
  // No PEAK chunk: its time stamp would make two exports of one song differ.
  sf_command(impl_->file, SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
  if (timeReference && !isFlac(format)) {
    SF_BROADCAST_INFO bext{}; // no date: two exports of one song are the same
    std::strncpy(bext.originator, "Ivrin", sizeof bext.originator);
    bext.version = 1;
    const auto at = static_cast<std::uint64_t>(std::max<std::int64_t>(0, *timeReference));
    bext.time_reference_low = static_cast<std::uint32_t>(at & 0xffffffff);
    bext.time_reference_high = static_cast<std::uint32_t>(at >> 32);
    if (sf_command(impl_->file, SFC_SET_BROADCAST_INFO, &bext, sizeof bext) != SF_TRUE)
      impl_->fail(worded("its time stamp could not be written"));
  }
}

AudioWriter::~AudioWriter() {
  if (impl_->file) sf_close(impl_->file);
}

void AudioWriter::write(const float* left, const float* right, std::int64_t frames, std::int64_t absoluteFrame) {
  sf_count_t done = 0;
  const auto n = static_cast<std::size_t>(frames) * 2;
  if (impl_->format == AudioFormat::wav32f) {
    impl_->floats.resize(n);
    for (std::int64_t i = 0; i < frames; ++i) {
      impl_->floats[static_cast<std::size_t>(2 * i)] = left[i];
      impl_->floats[static_cast<std::size_t>(2 * i + 1)] = right[i];
    }
    done = sf_writef_float(impl_->file, impl_->floats.data(), frames);
  } else {
    impl_->ints.resize(n);
    const bool sixteen = isSixteen(impl_->format);
    const double scale = sixteen ? 32768.0 : 8388608.0;
    const int shift = sixteen ? 16 : 8;
    for (std::int64_t i = 0; i < frames; ++i) {
      const std::int64_t at = absoluteFrame + i;
      const double dl = sixteen ? tpdf(at, 0, impl_->seed) : 0, dr = sixteen ? tpdf(at, 1, impl_->seed) : 0;
      impl_->ints[static_cast<std::size_t>(2 * i)] = impl_->quantise(left[i], scale, shift, dl);
      impl_->ints[static_cast<std::size_t>(2 * i + 1)] = impl_->quantise(right[i], scale, shift, dr);
    }
    done = sf_writef_int(impl_->file, impl_->ints.data(), frames);
  }
  if (impl_->sink->error() != 0) impl_->fail(systemWords(impl_->sink->error()));
  if (done != frames) impl_->fail(sf_strerror(impl_->file));
  impl_->written += frames;
}

void AudioWriter::finish() {
  const int error = sf_close(impl_->file);
  impl_->file = nullptr;
  if (impl_->sink->error() != 0) impl_->fail(systemWords(impl_->sink->error()));
  if (error) impl_->fail(sf_error_number(error));
  if (const std::string why = impl_->whyNotWhole(impl_->written); !why.empty()) impl_->fail(why);
  if (!impl_->part->putInPlace()) impl_->fail(systemWords(errno));
}

std::int64_t AudioWriter::clipped() const {
  return impl_->clipped;
}

} // namespace ivrin
