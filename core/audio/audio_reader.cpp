#include "audio/audio_reader.h"

#include "audio/data_length.h"

#include <sndfile.h>
#include <soxr.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <vector>

namespace ivrin {
namespace {

constexpr std::int64_t kBlock = 32768;

/// A file whose header says nothing of its length, with a length in its place: libsndfile takes a size of 0 at its
/// word.
class OpenEnded {
 public:
  OpenEnded(const std::filesystem::path& file, const DataLength& data)
      : in_(file, std::ios::binary)
      , data_(data) {}
  SNDFILE* open(SF_INFO& info) {
    SF_VIRTUAL_IO io{&OpenEnded::length, &OpenEnded::seek, &OpenEnded::read, &OpenEnded::write, &OpenEnded::tell};
    return sf_open_virtual(&io, SFM_READ, &info, this);
  }

 private:
  static OpenEnded& of(void* self) { return *static_cast<OpenEnded*>(self); }
  static sf_count_t length(void* self) { return of(self).data_.at + of(self).data_.there; }
  static sf_count_t tell(void* self) { return of(self).at_; }
  static sf_count_t write(const void*, sf_count_t, void*) { return 0; }
  static sf_count_t seek(sf_count_t offset, int whence, void* self) {
    OpenEnded& f = of(self);
    f.at_ = std::clamp<sf_count_t>(offset + (whence == SEEK_CUR   ? f.at_
                                             : whence == SEEK_END ? length(self)
                                                                  : 0),
                                   0, length(self));
    return f.at_;
  }
  static sf_count_t read(void* to, sf_count_t bytes, void* self) {
    OpenEnded& f = of(self);
    f.in_.clear();
    f.in_.seekg(f.at_);
    f.in_.read(static_cast<char*>(to), bytes);
    const sf_count_t got = f.in_.gcount();
    const auto size = static_cast<std::uint32_t>(std::min<std::int64_t>(f.data_.there, 0x7fffffff));
    for (sf_count_t i = 0; i < 4; ++i) // the data's own size, before it; little endian, as only WAV comes here
      if (const sf_count_t place = f.data_.at - 4 + i - f.at_; place >= 0 && place < got)
        static_cast<unsigned char*>(to)[place] = static_cast<unsigned char>(size >> (8 * i));
    f.at_ += got;
    return got;
  }
  std::ifstream in_;
  DataLength data_;
  sf_count_t at_ = 0;
};

class SndfileReader : public AudioReader {
 public:
  SndfileReader(SNDFILE* file, const SF_INFO& info, int songRate, bool shortData, std::unique_ptr<OpenEnded> openEnded)
      : openEnded_(std::move(openEnded))
      , file_(file)
      , short_(shortData) {
    info_ = {info.channels, info.samplerate, info.frames};
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

  std::unique_ptr<OpenEnded> openEnded_; // what it is read through, where that is needed
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
  std::error_code ec;
  if (!std::filesystem::is_regular_file(file, ec)) {
    problems.error(ErrorId::unreadable, place, file.string() + " is not a file that can be read");
    return nullptr;
  }
  SF_INFO info{};
  const auto length = dataLength(file);
  std::unique_ptr<OpenEnded> openEnded;
  if (length && length->open && length->promised == 0 && length->there > 0)
    openEnded = std::make_unique<OpenEnded>(file, *length);
  SNDFILE* f = openEnded ? openEnded->open(info) : sf_open(file.c_str(), SFM_READ, &info);
  if (!f) return refuse(std::string("not an audio file Ivrin can read (") + sf_strerror(nullptr) + ")");
  std::string why;
  if (info.channels > 2)
    why = "has " + std::to_string(info.channels) + " channels; stems are mono or stereo";
  else if (info.channels < 1 || info.samplerate < 1000 || info.samplerate > 768000)
    why = "has an impossible header";
  else if (info.frames <= 0)
    why = "holds no sound (zero frames)";
  else if (info.frames > (std::int64_t{1} << 33))
    why = "is too long";
  if (!why.empty()) {
    sf_close(f);
    return refuse(why);
  }
  auto reader = std::make_unique<SndfileReader>(f, info, songRate, length && length->cutShort(), std::move(openEnded));
  if (!reader->usable()) return refuse("its sample rate cannot be converted");
  return reader;
}

} // namespace ivrin
