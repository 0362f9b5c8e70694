#include "audio/audio_writer.h"
#include "audio/dither.h"
#include "audio/stem_store.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <chrono>
#include <cmath>
#include <fstream>
#include <limits>
#include <sys/stat.h>

using namespace ivrin;
using namespace ivrin::test;

namespace {

std::string problemOf(const std::filesystem::path& file) {
  Problems p;
  const TempFolder cache;
  const auto a = StemStore(cache.path()).open(file, 48000, "here", p);
  return p.list.empty() ? (a ? "fine" : "nothing") : p.list.front().text();
}

} // namespace

TEST_CASE("written audio reads back within the format's step", "[audio]") {
  const TempFolder dir;
  const StereoBuffer x = fill(5000, noise(1, 0.9));
  for (const auto& [name, step] : {std::pair{"wav16", 2.0 / 32768},
                                   {"wav24", 0.5 / 8388608},
                                   {"wav32f", 0.0},
                                   {"flac16", 2.0 / 32768},
                                   {"flac24", 0.5 / 8388608}}) {
    const auto format = *audioFormat(name);
    const auto file = dir / (std::string(name) + extensionOf(format));
    {
      AudioWriter w(file, format, 48000, 5000, 7);
      w.write(x.left(), x.right(), 2000, 0);
      w.write(x.left() + 2000, x.right() + 2000, 3000, 2000);
      CHECK_FALSE(std::filesystem::exists(file)); // it appears only when it is whole
      w.finish();
    }
    const StereoBuffer y = readWav(file);
    REQUIRE(y.frames() == 5000);
    double worst = 0;
    for (std::int64_t i = 0; i < 5000; ++i)
      worst = std::max({worst, std::abs(static_cast<double>(x.left()[i] - y.left()[i])),
                        std::abs(static_cast<double>(x.right()[i] - y.right()[i]))});
    INFO(name);
    CHECK(worst <= step + 1e-7);
  }
}

TEST_CASE("an unfinished file leaves nothing; samples over full scale are counted", "[audio]") {
  const TempFolder dir;
  const float left[3] = {0.5f, 1.5f, -2.0f}, right[3] = {0, 0, 0};
  {
    AudioWriter w(dir / "x.wav", AudioFormat::wav24, 48000, 3, 1);
    w.write(left, right, 3, 0);
  }
  CHECK(std::filesystem::is_empty(dir.path()));
  AudioWriter w(dir / "x.wav", AudioFormat::wav24, 48000, 3, 1);
  w.write(left, right, 3, 0);
  w.finish();
  CHECK(w.clipped() == 2);
  CHECK(readWav(dir / "x.wav").left()[2] == -1.0f);
  CHECK_THROWS_WITH(AudioWriter(dir / "no" / "x.wav", AudioFormat::wav24, 48000, 3, 1), Catch::Contains("x.wav"));
}

TEST_CASE("dither is triangular, of two steps' width, and a function of place alone", "[audio]") {
  double sum = 0, square = 0, most = 0;
  constexpr int n = 200000;
  for (int i = 0; i < n; ++i) {
    const double d = tpdf(i, 0, 3);
    sum += d;
    square += d * d;
    most = std::max(most, std::abs(d));
  }
  CHECK(std::abs(sum / n) < 0.005);                   // 5 standard errors: 5·√(1/6/200000)
  CHECK(square / n == Approx(1.0 / 6).epsilon(0.02)); // variance of a triangle of ±1
  CHECK(most <= 1.0);
  CHECK(most > 0.98);
  CHECK(tpdf(77, 1, 3) == tpdf(77, 1, 3));
  CHECK(tpdf(77, 1, 3) != tpdf(77, 0, 3));
  CHECK(tpdf(77, 1, 3) != tpdf(77, 1, 4));
}

TEST_CASE("16-bit dither does not depend on how the range is cut", "[audio]") {
  const TempFolder dir;
  const StereoBuffer x = fill(4000, sine(440, 48000, 0.0003));
  AudioWriter a(dir / "a.wav", AudioFormat::wav16, 48000, 4000, 5),
      b(dir / "b.wav", AudioFormat::wav16, 48000, 2500, 5);
  a.write(x.left(), x.right(), 4000, 0);
  b.write(x.left() + 1500, x.right() + 1500, 2500, 1500);
  a.finish();
  b.finish();
  const StereoBuffer whole = readWav(dir / "a.wav"), part = readWav(dir / "b.wav");
  for (std::int64_t i = 0; i < 2500; ++i) REQUIRE(whole.left()[1500 + i] == part.left()[i]);
}

TEST_CASE("stems of another rate come at the song's, level and pitch kept", "[audio]") {
  for (const int rate : {8000, 22050, 44100, 88200, 96000, 192000}) {
    const TempFolder dir;
    writeWav(dir / "s.wav", rate, 1, rate, sine(1000, rate, 0.5));
    Problems p;
    const auto a = StemStore(dir / "cache").open(dir / "s.wav", 48000, "x", p);
    INFO(rate);
    REQUIRE(a);
    CHECK(a->frames() == 48000);
    CHECK(a->fileRate() == rate);
    CHECK(toneLevel(a->left() + 4800, 38400, 1000, 48000) == Approx(0.5).epsilon(0.001));
    CHECK(a->left() == a->right()); // mono: one plane for both sides
    // Timing: the phase is that of a sine which began at frame 0.
    double worst = 0;
    for (std::int64_t i = 10000; i < 20000; ++i)
      worst = std::max(worst, std::abs(static_cast<double>(a->left()[i]) -
                                       0.5 * std::sin(2 * M_PI * 1000 * static_cast<double>(i) / 48000)));
    CHECK(worst < 0.002);
  }
}

TEST_CASE("what cannot be a stem is refused with the reason and the file's name", "[audio]") {
  const TempFolder dir;
  writeWav(dir / "six.wav", 48000, 6, 100, noise(1, 0.1));
  writeWav(dir / "none.wav", 48000, 2, 0, silence());
  std::ofstream(dir / "text.wav") << "this is no audio";
  std::ofstream(dir / "empty.wav");
  CHECK(problemOf(dir / "six.wav").find("6 channels") != std::string::npos);
  CHECK(problemOf(dir / "none.wav").find("zero frames") != std::string::npos);
  CHECK(problemOf(dir / "text.wav").find("text.wav") != std::string::npos);
  CHECK(problemOf(dir / "empty.wav").find("not an audio file") != std::string::npos);
  CHECK(problemOf(dir / "gone.wav").find("gone.wav") != std::string::npos);
  CHECK(problemOf(dir.path()) != "fine");
}

TEST_CASE("NaN and infinite samples are counted and silenced, truncation is seen", "[audio]") {
  const TempFolder dir;
  writeWav(dir / "bad.wav", 48000, 2, 1000, [](std::int64_t f, int side) {
    return f == 10                ? std::numeric_limits<float>::quiet_NaN()
           : f == 20 && side == 1 ? std::numeric_limits<float>::infinity()
                                  : 0.25f;
  });
  Problems p;
  const StemStore store(dir / "cache");
  const auto a = store.open(dir / "bad.wav", 48000, "x", p);
  REQUIRE(a);
  CHECK(a->badSamples() == 3);
  CHECK(a->left()[10] == 0);
  CHECK(a->left()[20] == 0.25f);
  writeWav(dir / "cut.wav", 48000, 2, 10000, noise(1, 0.5));
  std::filesystem::resize_file(dir / "cut.wav", std::filesystem::file_size(dir / "cut.wav") / 2);
  const auto cut = store.open(dir / "cut.wav", 48000, "x", p);
  REQUIRE(cut);
  CHECK(cut->truncated());
  CHECK(cut->frames() > 4000);
  CHECK(cut->frames() < 5100);
}

namespace {

/// A PCM WAV of 16 or 24 bits, byte by byte: what is put before the data, the length that its header claims, and
/// whether an odd one is padded.
struct RawWav {
  int channels = 1, bits = 24;
  std::int64_t frames = 1000;
  std::string before{};                  // whole chunks
  std::optional<std::uint32_t> claims{}; // instead of the data's true length
  std::optional<std::uint32_t> riffClaims{};
  bool padded = true;
  std::string after{};

  void write(const std::filesystem::path& file) const {
    const auto le = [](std::uint32_t n, int bytes) {
      std::string s;
      for (int i = 0; i < bytes; ++i) s += static_cast<char>(n >> (8 * i) & 255);
      return s;
    };
    std::string data;
    for (std::int64_t f = 0; f < frames * channels; ++f)
      data += le(static_cast<std::uint32_t>(f * 37 % 1000), bits / 8);
    const auto block = static_cast<std::uint32_t>(channels * bits / 8);
    std::string body = "WAVEfmt " + le(16, 4) + le(1, 2) + le(static_cast<std::uint32_t>(channels), 2) + le(48000, 4) +
                       le(48000 * block, 4) + le(block, 2) + le(static_cast<std::uint32_t>(bits), 2) + before + "data" +
                       le(claims.value_or(static_cast<std::uint32_t>(data.size())), 4) + data;
    if (padded && data.size() % 2) body += '\0';
    body += after;
    std::ofstream(file, std::ios::binary)
        << "RIFF" << le(riffClaims.value_or(static_cast<std::uint32_t>(body.size())), 4) << body;
  }
};

} // namespace

TEST_CASE("a file is cut short by its bytes, not by words: odd lengths, odd chunks and streams are whole", "[audio]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  const std::string odd = std::string("LIST") + '\3' + std::string(3, '\0') + "abc", pad(1, '\0');
  constexpr std::uint32_t kOpen = 0xffffffffu;
  const std::pair<const char*, RawWav> whole[] = {
      {"odd mono 24 bit, padded", {.frames = 999}},
      {"odd mono 24 bit, not padded", {.frames = 999, .padded = false}},
      {"odd mono 24 bit, a chunk after it", {.frames = 999, .after = odd + pad}},
      {"an odd chunk before", {.bits = 16, .before = odd + pad}},
      {"even stereo", {.channels = 2, .bits = 16}},
      {"stream, lengths 0", {.claims = 0, .riffClaims = 0}},
      {"stream, lengths -1", {.claims = kOpen, .riffClaims = kOpen}},
      {"stream, lengths about 2 GiB", {.claims = 0x7ffff000u, .riffClaims = 0x7ffff024u}},
      {"stream, odd, not padded", {.frames = 999, .claims = kOpen, .riffClaims = kOpen, .padded = false}},
  };
  for (const auto& [name, wav] : whole) {
    INFO(name);
    wav.write(dir / "w.wav");
    Problems p;
    const auto a = store.open(dir / "w.wav", 48000, "x", p);
    REQUIRE(a);
    CHECK_FALSE(a->truncated());
    CHECK(a->frames() == wav.frames);
    CHECK(a->left()[7] > 0);
  }
  // A file that says it is empty, and has something else after its data, is empty.
  RawWav{.frames = 0, .after = odd + pad}.write(dir / "w.wav");
  Problems none;
  CHECK_FALSE(store.open(dir / "w.wav", 48000, "x", none));
  CHECK(none.list.front().text().find("zero frames") != std::string::npos);
  const std::pair<const char*, RawWav> cut[] = {
      {"promises one frame more", {.claims = 3003}},
      {"promises twice as much", {.channels = 2, .bits = 16, .claims = 8000}},
  };
  for (const auto& [name, wav] : cut) {
    INFO(name);
    wav.write(dir / "w.wav");
    Problems p;
    const auto a = store.open(dir / "w.wav", 48000, "x", p);
    REQUIRE(a);
    CHECK(a->truncated());
    CHECK(a->frames() == wav.frames);
  }
}

TEST_CASE("the store imports once, mends itself and keys by contents", "[audio]") {
  const TempFolder dir;
  writeWav(dir / "s.wav", 48000, 2, 30000, noise(2, 0.5));
  const StemStore store(dir / "cache");
  Problems p;
  const auto a = store.open(dir / "s.wav", 48000, "x", p);
  REQUIRE(a);
  const auto files = [&] {
    std::vector<std::filesystem::path> f;
    for (const auto& e : std::filesystem::directory_iterator(dir / "cache/stems")) f.push_back(e.path());
    return f;
  };
  REQUIRE(files().size() == 1);
  const auto inode = [&] {
    struct stat st {};
    ::stat(files()[0].c_str(), &st);
    return st.st_ino;
  };
  const auto written = inode();
  std::filesystem::copy_file(dir / "s.wav", dir / "copy.wav");
  const auto b = store.open(dir / "copy.wav", 48000, "x", p);
  CHECK(files().size() == 1); // equal contents, one store file
  CHECK(inode() == written);
  CHECK(b->digest() == a->digest());
  CHECK(std::equal(a->left(), a->left() + 30000, b->left()));
  // A damaged store file is imported again; the old mapping stays readable.
  std::filesystem::remove(files()[0]);
  std::ofstream(files().empty() ? (dir / "cache/stems/x") : files()[0]) << "junk";
  const auto c = store.open(dir / "s.wav", 48000, "x", p);
  REQUIRE(c);
  CHECK(std::equal(a->left(), a->left() + 30000, c->left()));
  // A changed file is another stem.
  writeWav(dir / "s.wav", 48000, 2, 30000, noise(3, 0.5));
  CHECK(store.open(dir / "s.wav", 48000, "x", p)->digest() != a->digest());
  CHECK(store.open(dir / "s.wav", 44100, "x", p)->frames() == std::llround(30000 * 44100.0 / 48000));
}

TEST_CASE("so many digests are remembered, those of before go first", "[audio]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  const auto digests = dir / "cache/digests";
  std::filesystem::create_directories(digests);
  for (std::size_t i = 0; i < StemStore::kMostDigests; ++i) std::ofstream(digests / std::to_string(i)) << "x";
  std::filesystem::last_write_time(digests / "17",
                                   std::filesystem::file_time_type::clock::now() - std::chrono::hours(1));
  writeWav(dir / "s.wav", 48000, 2, 4000, noise(1, 0.5));
  Problems p;
  REQUIRE(store.open(dir / "s.wav", 48000, "x", p));
  const auto left = std::distance(std::filesystem::directory_iterator(digests), std::filesystem::directory_iterator());
  CHECK(left == StemStore::kMostDigests / 2);
  CHECK_FALSE(std::filesystem::exists(digests / "17"));
}

TEST_CASE("the store keeps to its budget, the longest unused go first, what is open stays usable", "[audio]") {
  const TempFolder dir;
  const StemStore store(dir / "cache", 700000); // two stems of about 330 kB fit, three do not
  Problems p;
  std::vector<std::shared_ptr<const StemAudio>> open;
  for (int i = 0; i < 3; ++i) {
    writeWav(dir / (std::to_string(i) + ".wav"), 48000, 2, 40000, noise(static_cast<std::uint64_t>(i) + 1, 0.5));
    open.push_back(store.open(dir / (std::to_string(i) + ".wav"), 48000, "x", p));
    REQUIRE(open.back());
    // The file system's clock is coarse: say outright which one was used long ago.
    if (i == 1)
      for (const auto& e : std::filesystem::directory_iterator(dir / "cache/stems"))
        if (e.path().filename().string().starts_with(open[1]->digest()))
          std::filesystem::last_write_time(e.path(),
                                           std::filesystem::file_time_type::clock::now() - std::chrono::hours(1));
  }
  std::vector<std::string> left;
  for (const auto& e : std::filesystem::directory_iterator(dir / "cache/stems"))
    left.push_back(e.path().filename().string());
  CHECK(left.size() == 2);
  for (const auto& name : left) CHECK(name.find(open[1]->digest()) == std::string::npos); // the one unused for an hour
  const StereoBuffer x = fill(40000, noise(2, 0.5));
  CHECK(std::equal(x.left(), x.left() + 40000, open[1]->left()));
}

TEST_CASE("an import that is stopped leaves no file and no error", "[audio]") {
  const TempFolder dir;
  writeWav(dir / "s.wav", 48000, 2, 480000, noise(2, 0.5));
  std::stop_source stop;
  Problems p;
  const auto a =
      StemStore(dir / "cache").open(dir / "s.wav", 48000, "x", p, stop.get_token(), [&](std::int64_t, std::int64_t) {
        stop.request_stop();
      });
  CHECK_FALSE(a);
  CHECK(p.list.empty());
  CHECK(std::filesystem::is_empty(dir / "cache/stems"));
}

TEST_CASE("peaks hold every extreme of the samples they stand for", "[audio]") {
  const StereoBuffer x = fill(100003, noise(4, 1));
  PeakPyramid pyramid;
  pyramid.append(x.left(), x.right(), 777);
  pyramid.append(x.left() + 777, x.right() + 777, 100003 - 777);
  pyramid.finish();
  const PeakView view = PeakView::of(pyramid);
  CHECK(view.frames == 100003);
  for (const auto& [begin, end] :
       {std::pair<std::int64_t, std::int64_t>{0, 64}, {64, 4096}, {1000, 90000}, {99968, 100003}, {0, 100003}}) {
    float low = 0, high = 0;
    for (std::int64_t i = begin; i < end; ++i) {
      low = std::min({low, x.left()[i], x.right()[i]});
      high = std::max({high, x.left()[i], x.right()[i]});
    }
    const Peak p = view.over(begin, end);
    CHECK(p.low <= low); // whole bins: never less than what is asked
    CHECK(p.high >= high);
    CHECK(p.high <= 1);
  }
  CHECK(view.over(200000, 300000) == Peak{});
  CHECK(view.over(-500, 0) == Peak{});
}
