#include "test_support/signals.h"

#include "audio/dither.h"

#include <sndfile.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <numbers>
#include <stdexcept>
#include <unistd.h>

namespace ivrin::test {
namespace fs = std::filesystem;

TempFolder::TempFolder() {
  // In memory where there is room: syncing to a disk is not what is tested, and takes most of some tests' time.
  static const fs::path root = [] {
    std::error_code none;
    const fs::path memory = "/dev/shm";
    const auto space = fs::space(memory, none);
    return !none && space.available > (std::uintmax_t{3} << 30) ? memory : fs::temp_directory_path();
  }();
  std::string name = (root / "ivrin-test-XXXXXX").string(); // nobody else's, nor one that a killed process left
  if (!::mkdtemp(name.data())) throw std::runtime_error("no folder for tests in " + root.string());
  path_ = name;
}
TempFolder::~TempFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

Signal silence() {
  return [](std::int64_t, int) { return 0.0f; };
}
Signal impulseAt(std::int64_t frame, float level) {
  return [=](std::int64_t f, int) { return f == frame ? level : 0.0f; };
}
Signal sine(double hz, double rate, double level) {
  return [=](std::int64_t f, int) {
    return static_cast<float>(level * std::sin(2 * std::numbers::pi * hz * static_cast<double>(f) / rate));
  };
}
Signal noise(std::uint64_t seed, double level) {
  return [=](std::int64_t f, int side) {
    const std::uint64_t h = mix64(mix64(static_cast<std::uint64_t>(f) * 2 + static_cast<std::uint64_t>(side)) ^ seed);
    return static_cast<float>(level * (static_cast<double>(h >> 11) / 4503599627370496.0 - 1));
  };
}
Signal square(double hz, double rate, double level) {
  return [=](std::int64_t f, int) {
    return static_cast<float>(std::fmod(static_cast<double>(f) * hz / rate, 1.0) < 0.5 ? level : -level);
  };
}
Signal only(std::int64_t begin, std::int64_t end, Signal inner) {
  return [=](std::int64_t f, int side) { return f >= begin && f < end ? inner(f, side) : 0.0f; };
}

std::function<void(std::int64_t from, StereoSpan out)> feedOf(Signal s) {
  return [s = std::move(s)](std::int64_t from, StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i) {
      out.left[i] = s(from + i, 0);
      out.right[i] = s(from + i, 1);
    }
  };
}
std::function<void(Frames from, StereoSpan out)> readerOf(Signal s) {
  return [feed = feedOf(std::move(s))](Frames from, StereoSpan out) { feed(from.count, out); };
}
std::function<void(Frames from, StereoSpan out)> readerOf(const StereoBuffer& b) {
  return [&b](Frames from, StereoSpan out) { b.read(from.count, out); };
}

void writeWav(const fs::path& file, int rate, int channels, std::int64_t frames, const Signal& s) {
  fs::create_directories(file.parent_path());
  SF_INFO info{};
  info.samplerate = rate;
  info.channels = channels;
  info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
  SNDFILE* f = sf_open(file.c_str(), SFM_WRITE, &info);
  std::vector<float> all(static_cast<std::size_t>(frames * channels));
  for (std::int64_t i = 0; i < frames; ++i)
    for (int c = 0; c < channels; ++c) all[static_cast<std::size_t>(i * channels + c)] = s(i, c);
  sf_writef_float(f, all.data(), frames);
  sf_close(f);
}

std::string fileBytes(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

StereoBuffer readWav(const fs::path& file, int* rate) {
  SF_INFO info{};
  SNDFILE* f = sf_open(file.c_str(), SFM_READ, &info);
  if (!f) return {};
  std::vector<float> all(static_cast<std::size_t>(info.frames * info.channels));
  sf_readf_float(f, all.data(), info.frames);
  sf_close(f);
  if (rate) *rate = info.samplerate;
  StereoBuffer b(info.frames);
  for (std::int64_t i = 0; i < info.frames; ++i) {
    b.left()[i] = all[static_cast<std::size_t>(i * info.channels)];
    b.right()[i] = all[static_cast<std::size_t>(i * info.channels + info.channels - 1)];
  }
  return b;
}

StereoBuffer fill(std::int64_t frames, const Signal& s) {
  StereoBuffer b(frames);
  for (std::int64_t i = 0; i < frames; ++i) {
    b.left()[i] = s(i, 0);
    b.right()[i] = s(i, 1);
  }
  return b;
}

TestSong::TestSong(int rate, double bpm)
    : store_(folder / "cache") {
  song.sampleRate = rate;
  song.tempo.front().bpm = bpm;
  song.mix.limiter = false;
}

void TestSong::stem(const std::string& id, std::int64_t frames, const Signal& s, int channels, int fileRate,
                    double offsetSeconds) {
  const fs::path file = folder / (id + ".wav");
  writeWav(file, fileRate > 0 ? fileRate : song.sampleRate, channels, frames, s);
  Stem stem;
  stem.id = stem.name = id;
  stem.file = id + ".wav";
  stem.offsetSeconds = offsetSeconds;
  song.stems.push_back(stem);
  Problems p;
  audio.set(id, store_.open(file, song.sampleRate, id, p));
}

Ornament& TestSong::ornament(const std::string& kind, const std::string& on, double start, double length,
                             Settings settings) {
  Ornament o;
  o.id = "o" + std::to_string(ornaments.size() + 1);
  o.kind = kind;
  o.on = on;
  o.start = Beats::ofQuarters(start);
  o.length = Beats::ofQuarters(length);
  o.settings = std::move(settings);
  ornaments.push_back(std::move(o));
  return ornaments.back();
}

std::shared_ptr<const RenderPlan> TestSong::plan() {
  std::vector<Shared<Ornament>> all;
  for (const Ornament& o : ornaments) {
    bool kept = false;
    for (const auto& old : song.ornaments) // unchanged values keep their storage, as edits do
      if (*old == o) {
        all.push_back(old);
        kept = true;
        break;
      }
    if (!kept) all.emplace_back(o);
  }
  song.ornaments = Chunked(all);
  problems = {};
  former_ = RenderPlan::make(song, audio, *kinds_, cache, former_.get(), &problems);
  return former_;
}

StereoBuffer printOf(const RenderPlan& plan, const std::string& id) {
  const auto node = plan.node(id);
  node->print->ensure(plan, *node);
  StereoBuffer b(node->print->extent().length());
  node->print->addTo(node->print->first(), b.span());
  return b;
}

StereoBuffer rowOut(const RenderPlan& plan, const std::string& row, std::int64_t from, std::int64_t frames) {
  StereoBuffer b(frames);
  Evaluator(plan, Evaluator::Missing::compute).rowOut(*plan.rowIndex(row), Frames(from), b.span());
  return b;
}

StereoBuffer mixOut(const RenderPlan& plan, std::int64_t from, std::int64_t frames) {
  StereoBuffer b(frames);
  Evaluator(plan, Evaluator::Missing::compute).mix(Frames(from), b.span());
  return b;
}

PeakAt peakIn(const float* x, std::int64_t from, std::int64_t to) {
  PeakAt p;
  for (std::int64_t i = from; i < to; ++i)
    if (std::abs(x[i]) > std::abs(p.value)) p = {i, x[i]};
  return p;
}

float largest(const StereoBuffer& b) {
  return std::max(std::abs(peakIn(b.left(), 0, b.frames()).value), std::abs(peakIn(b.right(), 0, b.frames()).value));
}

double rmsDb(const float* x, std::int64_t n) {
  double p = 0;
  for (std::int64_t i = 0; i < n; ++i) p += static_cast<double>(x[i]) * static_cast<double>(x[i]);
  return 10 * std::log10(p / static_cast<double>(std::max<std::int64_t>(n, 1)) + 1e-30);
}

double toneLevel(const float* x, std::int64_t n, double hz, double rate) {
  double s = 0, c = 0, w = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const double window =
        0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(n));
    const double phase = 2 * std::numbers::pi * hz * static_cast<double>(i) / rate;
    s += window * static_cast<double>(x[i]) * std::sin(phase);
    c += window * static_cast<double>(x[i]) * std::cos(phase);
    w += window;
  }
  return 2 * std::sqrt(s * s + c * c) / w;
}

} // namespace ivrin::test
