// Stated limits, each refused by name and place; and that nothing is computed, held or waited for without bound.
#include "audio/audio_reader.h"
#include "audio/audio_writer.h"
#include "dsp/measure/loudness.h"
#include "files/audio_folders.h"
#include "files/json.h"
#include "files/safe_file.h"
#include "files/song_file.h"
#include "finish/finisher.h"
#include "finish/starting_points.h"
#include "render/export.h"
#include "song/edits.h"
#include "song/limits.h"
#include "test_support/signals.h"

#include "document/document.h"
#include "files/song_check.h"
#include "song/grid_edits.h"
#include "test_support/random_edits.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <sys/resource.h>
#include <sys/stat.h>
#include <thread>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

/// A song file's text around what is asked for.
std::string songWith(const std::string& fields, double bpm = 120) {
  return R"({"format": "ivrin-song", "version": 2, "sample_rate": 48000,
    "tempo": [{"at": 0, "bpm": )" +
         shortestNumber(bpm) + R"(}], "meter": [{"at": 0, "count": 4, "unit": 4}], )" + fields + "}";
}
std::string ornamentWith(const std::string& fields) {
  return R"("stems": [{"id": "v"}], "ornaments": [{"id": "o", "kind": "treat", "on": "v", )" + fields + "}]";
}

/// The one problem that a text has, or "".
std::string problemOf(const std::string& text) {
  Problems p;
  const auto song = readSong(text, allKinds().registry(), p);
  if (song) return {};
  REQUIRE(p.list.size() == 1);
  CHECK(p.list[0].id == ErrorId::out_of_range);
  return p.list[0].text();
}

/// Most memory that this process has had, MiB.
double peakMemory() {
  struct rusage r {};
  ::getrusage(RUSAGE_SELF, &r);
  return static_cast<double>(r.ru_maxrss) / 1024;
}

} // namespace

TEST_CASE("what a song may hold at most is refused by name beyond it", "[limits][song]") {
  const std::string fine(1000, 'n'), tooLong(1001, 'n');
  CHECK(problemOf(songWith("\"title\": \"" + fine + "\"")).empty());
  CHECK(problemOf(songWith("\"title\": \"" + tooLong + "\"")) == "title: is too long: 1001 bytes, at most 1000");
  CHECK(
      problemOf(songWith("\"stems\": [{\"id\": \"v\", \"name\": \"" + tooLong + "\"}]")).starts_with("stems[0].name"));
  CHECK(
      problemOf(songWith("\"buses\": [{\"id\": \"v\", \"name\": \"" + tooLong + "\"}]")).starts_with("buses[0].name"));
  CHECK(problemOf(songWith("\"landings\": [{\"id\": \"l\", \"at\": 4, \"name\": \"" + tooLong + "\"}]"))
            .starts_with("landings[0].name"));
  CHECK(problemOf(songWith(ornamentWith("\"start\": 0, \"length\": 1, \"name\": \"" + tooLong + "\"")))
            .starts_with("ornaments[0].name"));
  CHECK(problemOf(songWith("\"stems\": [{\"id\": \"v\", \"offset_seconds\": -3600}]")).empty());
  CHECK(problemOf(songWith("\"stems\": [{\"id\": \"v\", \"offset_seconds\": 3600.5}]"))
            .starts_with("stems[0].offset_seconds: 3600.5 is out of range"));
  // At 120 BPM four hours are 28 800 beats; bar −64 begins 260 beats before bar 1.
  CHECK(problemOf(songWith(ornamentWith("\"start\": 28799, \"length\": 1"))).empty());
  CHECK(problemOf(songWith(ornamentWith("\"start\": 28799, \"length\": 1.5")))
            .starts_with("ornaments[0].length: is more than 4 hours"));
  CHECK(problemOf(songWith(ornamentWith("\"start\": -260, \"length\": 1"))).empty());
  CHECK(problemOf(songWith(ornamentWith("\"start\": -260.5, \"length\": 1"))) ==
        "ornaments[0].start: is before bar -64");
  CHECK(problemOf(songWith(ornamentWith("\"start\": 0, \"length\": 1, \"source\": {\"row\": null, \"start\": 28799.5, "
                                        "\"length\": 1}"))) ==
        "ornaments[0].source.length: is more than 4 hours from the start of the song");
  CHECK(problemOf(songWith("\"sections\": [{\"id\": \"s\", \"at\": 30000}]")).starts_with("sections[0].at"));
  // What an edit shares with a song within the limits is not looked at again.
  Problems p;
  Song song = *readSong(songWith(ornamentWith("\"start\": 0, \"length\": 1")), allKinds().registry(), p);
  Ornament far = *song.ornaments[0];
  far.start = Beats::ofQuarters(40000);
  Song next = withOrnamentReplaced(song, far);
  checkLimits(next, p, &song);
  REQUIRE(p.list.size() == 2);
  CHECK(p.list[0].place == "ornaments[0].start");
  Problems none;
  checkLimits(next, none, &next);
  CHECK(none.list.empty());
}

TEST_CASE("a print is no longer than a song and its tails, and what needs all of it no longer than half an hour",
          "[limits][render]") {
  TestSong t(8000);
  t.stem("v", 8000, sine(440, 8000, 0.3));
  // A tape that is played out at a twentieth of its speed: two hours become many.
  t.ornament("tape", "v", 0, 14400,
             {{"shape", Value("stop")}, {"fit", Value("extend")}, {"lowest", Value(0.1)}, {"bend", Value(-1.0)}});
  Ornament& w = t.ornament("treat", "v", 0, 7200, {});
  w.finish = {{"level", {{"offset_lu", Value(-6.0)}}}};
  Ornament& fine = t.ornament("treat", "v", 0, 100, {});
  fine.finish = {{"level", {{"offset_lu", Value(-6.0)}}}};
  const auto plan = t.plan();
  std::string all;
  for (const Problem& p : t.problems.list) all += p.text() + "\n";
  INFO(all);
  CHECK(all.find("is longer than 30 minutes, too long for a loudness match") != std::string::npos);
  CHECK(all.find("would play more than 4 hours from the start of the song") != std::string::npos);
  const auto limit = static_cast<std::int64_t>((kLongestSongSeconds + 2 * kLongestTailSeconds) * 8000);
  for (const auto& n : plan->nodes()) CHECK(n->plan.extent.end.count <= limit);
  CHECK(plan->nodes()[2]->print);
}

TEST_CASE("a delay remembers no longer than its print lasts", "[limits][render]") {
  // 16 bars of 64 whole notes at 20 BPM are three and a half hours: 5 GB of memory for two sides.
  TestSong t(48000, 20);
  t.song.meter = {{Beats(0), 64, 1}};
  t.stem("v", 48000, only(0, 4800, noise(1, 0.5)));
  t.ornament("delay-throw", "v", 0, 0.1, {{"time_left", Value("16 bars")}, {"time_right", Value("16 bars")}});
  Ornament& echo = t.ornament("treat", "v", 0, 0.1, {});
  echo.finish = {
      {"echo", {{"time_left", Value("16 bars")}, {"time_right", Value("1/8")}, {"mix_percent", Value(50.0)}}}};
  t.ornament("reverse-reverb", "v", 0, 0.1, {{"space", Value("echo")}, {"echo_time", Value("16 bars")}});
  const double before = peakMemory();
  const auto plan = t.plan();
  completePrints(*plan, 1);
  CHECK(peakMemory() - before < 700);
  // The echo that fits is there; the one that does not is not.
  const StereoBuffer treated = printOf(*plan, plan->nodes()[1]->ornament->id);
  CHECK(rmsDb(treated.right() + 72000 + 480, 3000) > -30);
  CHECK(largest(printOf(*plan, plan->nodes()[0]->ornament->id)) == 0);
}

TEST_CASE("silent stretches of a print are not stored", "[limits][render]") {
  TestSong t;
  // Ten seconds, of which the first and the last tenth sound.
  t.stem("v", 480000, [](std::int64_t f, int side) { return f < 4800 || f >= 475200 ? noise(1, 0.5)(f, side) : 0.0f; });
  t.ornament("treat", "v", 0, 20, {{"dry", Value("replace")}, {"tail_seconds", Value(0.0)}});
  const auto plan = t.plan();
  completePrints(*plan, 1);
  const Print& print = *plan->nodes()[0]->print;
  CHECK(print.extent().length() >= 480000);
  CHECK(print.bytes() < 480000 * 8 / 4); // two or three chunks of 16 blocks each, of thirty
  const StereoBuffer heard = printOf(*plan, plan->nodes()[0]->ornament->id);
  const StereoBuffer stem =
      fill(480000, [](std::int64_t f, int side) { return f < 4800 || f >= 475200 ? noise(1, 0.5)(f, side) : 0.0f; });
  // Away from the edges it is the stem itself, the silence included.
  for (std::int64_t i = 1000; i < 479000; ++i) REQUIRE(heard.left()[i] == stem.left()[i]);
}

TEST_CASE("what goes wrong while a print is computed ends it, and an export says so", "[limits][render][threads]") {
  class Failing : public Kind {
   public:
    const TableSpec& table() const override {
      static const TableSpec t{"failing", "Failing", "", "Has no memory.", {}};
      return t;
    }
    PrintPlan plan(const Placed& p) const override {
      PrintPlan plan;
      plan.extent = p.span();
      return plan;
    }
    std::unique_ptr<Voice> start(const Placed&, Sounds&) const override {
      struct V : Voice {
        int blocks = 0;
        std::int64_t render(StereoSpan out) override {
          if (++blocks > 3) throw std::bad_alloc();
          for (std::int64_t i = 0; i < out.frames; ++i) out.left[i] = out.right[i] = 0.5f;
          return out.frames;
        }
      };
      return std::make_unique<V>();
    }
  };
  static const Failing failing;
  static const KindSet kinds({&failing});
  TestSong t;
  t.useKinds(kinds);
  t.stem("v", 96000, silence());
  t.ornament("failing", "v", 0, 2);
  const auto plan = t.plan();
  const TempFolder out;
  std::string why;
  try {
    exportSong(plan, out.path(), {});
  } catch (const std::exception& e) {
    why = e.what();
  }
  CHECK(why.find("could not be rendered: there is not enough memory") != std::string::npos);
  CHECK(why.find(plan->nodes()[0]->ornament->id) != std::string::npos);
  const Print& print = *plan->nodes()[0]->print;
  CHECK(print.complete());
  StereoBuffer heard(8192);
  print.addTo(Frames(0), heard.span());
  CHECK(heard.left()[3 * 1024 - 1] == 0.5f);
  CHECK(heard.left()[3 * 1024] == 0);
}

TEST_CASE("a print that failed is computed with the next plan, and so is what listened to it", "[limits][render]") {
  static bool memory;
  class Failing : public Kind {
   public:
    const TableSpec& table() const override {
      static const TableSpec t{"failing", "Failing", "", "Has no memory for a while.", {}};
      return t;
    }
    PrintPlan plan(const Placed& p) const override {
      PrintPlan plan;
      plan.extent = p.span();
      plan.reads = {{p.ornament.on, Read::What::rowSoFar, p.span()}};
      return plan;
    }
    std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override {
      struct V : Voice {
        V(const Placed& p, Sounds& s)
            : at(p.span().begin)
            , failing(p.ornament.id == "o1")
            , sounds(s) {}
        Frames at;
        bool failing;
        Sounds& sounds;
        std::int64_t render(StereoSpan out) override {
          if (failing && !memory) throw std::bad_alloc();
          sounds.read(0, at, out);
          at = at + Frames(out.frames);
          for (std::int64_t i = 0; i < out.frames; ++i) out.left[i] += 0.25f;
          return out.frames;
        }
      };
      return std::make_unique<V>(p, sounds);
    }
  };
  static const Failing failing;
  static const KindSet kinds({&failing});
  TestSong t;
  t.useKinds(kinds);
  t.stem("v", 96000, silence());
  t.ornament("failing", "v", 0, 1);
  t.ornament("failing", "v", 0, 1);
  memory = false;
  auto plan = t.plan();
  rowOut(*plan, "v", 0, 24000);
  for (const auto& n : plan->nodes()) CHECK(n->print->failed());
  CHECK(plan->anyFailed());
  CHECK(plan->nodes()[1]->print->failure().find("sidechain or source") != std::string::npos);
  memory = true;
  plan = t.plan();
  CHECK_FALSE(plan->anyFailed());
  const StereoBuffer row = rowOut(*plan, "v", 0, 24000);
  CHECK_FALSE(plan->anyFailed());
  CHECK(row.left()[1000] == 0.75f); // 0.25 and the second, which hears it, 0.5
}

TEST_CASE("a render asks for the space it needs before it computes", "[limits][export]") {
  CHECK(bytesPerFrame(AudioFormat::wav16) == 4);
  CHECK(bytesPerFrame(AudioFormat::flac24) == 6);
  CHECK(bytesPerFrame(AudioFormat::wav32f) == 8);
  // Three and a half hours of many rows at a high rate are more than any disk of a test machine has free.
  TestSong t(192000);
  for (int i = 0; i < 400; ++i) t.song.stems.push_back({"s" + std::to_string(i), "S", {}, 0, {}, {}, {}, {}});
  t.ornament("treat", "s0", 28000, 1, {});
  const TempFolder out;
  ExportOptions e;
  e.stems = e.dry = e.wet = true;
  e.format = AudioFormat::wav32f;
  e.to = Beats::ofQuarters(28000);
  std::error_code ec;
  const auto free = fs::space(out.path(), ec).available;
  const double need = 14000.0 * 192000 * 8 * (3 * 401 + 1);
  REQUIRE(need > static_cast<double>(free));
  std::string why;
  try {
    exportSong(t.plan(), out / "x", e);
  } catch (const std::exception& x) {
    why = x.what();
  }
  CHECK(why.find("not enough space in") != std::string::npos);
  CHECK(fs::is_empty(out / "x"));
}

TEST_CASE("loudness of a stream is that of the whole, in any pieces", "[limits]") {
  const StereoBuffer x = fill(
      48000 * 7 + 123, [](std::int64_t f, int side) { return noise(3, 0.2)(f, side) * (f / 48000 % 2 ? 1.0f : 0.2f); });
  const Loudness whole = measureLoudness(x.left(), x.right(), x.frames(), 48000);
  for (const std::int64_t piece : {1, 777, 4800, 100000}) {
    LoudnessMeter meter(48000);
    for (std::int64_t at = 0; at < x.frames(); at += piece)
      meter.add(x.left() + at, x.right() + at, std::min(piece, x.frames() - at));
    const Loudness m = meter.finish();
    CHECK(m.integratedLufs == whole.integratedLufs);
    CHECK(m.shortTermMaxLufs == whole.shortTermMaxLufs);
    CHECK(m.truePeakDbtp == whole.truePeakDbtp);
    CHECK(m.samplePeakDbfs == whole.samplePeakDbfs);
    CHECK(m.lowEnergyDb == whole.lowEnergyDb);
  }
  CHECK(LoudnessMeter(48000).finish().integratedLufs == -200);
}

namespace {

/// A FLAC file of noise, then the bytes of its header's length as `frames`.
void writeFlac(const fs::path& file, std::int64_t really, std::int64_t says) {
  {
    const StereoBuffer x = fill(really, noise(5, 0.3));
    AudioWriter w(file, AudioFormat::flac16, 48000, really, 1);
    w.write(x.left(), x.right(), really, 0);
    w.finish();
  }
  std::fstream f(file, std::ios::in | std::ios::out | std::ios::binary);
  f.seekg(21);
  const char shared = static_cast<char>(f.get());
  f.seekp(21);
  f.put(static_cast<char>((shared & 0xf0) | static_cast<char>(says >> 32 & 15)));
  for (int shift = 24; shift >= 0; shift -= 8) f.put(static_cast<char>(says >> shift & 0xff));
}

} // namespace

TEST_CASE("a streamed FLAC file is read whole, and a header is believed only as far as the file reaches",
          "[limits][audio]") {
  const TempFolder dir;
  const StemStore store(dir / "cache");
  writeFlac(dir / "streamed.flac", 100000, 0);
  Problems p;
  const auto streamed = store.open(dir / "streamed.flac", 48000, "stems[0].file", p);
  REQUIRE(streamed);
  CHECK(p.list.empty());
  CHECK(streamed->frames() == 100000);
  CHECK_FALSE(streamed->truncated());
  const StereoBuffer x = fill(100000, noise(5, 0.3));
  double worst = 0;
  for (std::int64_t i = 0; i < 100000; ++i)
    worst = std::max(worst, std::abs(static_cast<double>(streamed->left()[i]) - x.left()[i]));
  CHECK(worst < 1e-4); // 16 bits and their dither

  // It promises two hours and holds two seconds: read as far as it goes, said to be cut, and no gigabytes kept of it.
  writeFlac(dir / "boasts.flac", 100000, std::int64_t{48000} * 7200);
  const auto boasts = store.open(dir / "boasts.flac", 48000, "stems[1].file", p);
  REQUIRE(boasts);
  CHECK(boasts->truncated());
  CHECK(boasts->frames() == 100000);
  std::uintmax_t most = 0;
  for (const auto& e : fs::directory_iterator(dir / "cache" / "stems")) most = std::max(most, e.file_size());
  CHECK(most < 2u << 20);
  // Over four hours is refused.
  writeFlac(dir / "too-long.flac", 1000, std::int64_t{48000} * 14401);
  CHECK_FALSE(store.open(dir / "too-long.flac", 48000, "stems[2].file", p));
  REQUIRE(p.list.size() == 1);
  CHECK(p.list[0].text().find("too-long.flac: is longer than 4 hours") != std::string::npos);
  CHECK(p.list[0].place == "stems[2].file");
}

TEST_CASE("a starting point with a name that is no file's name is refused, with a word", "[limits][finish]") {
  const TempFolder dir;
  std::string why;
  CHECK_FALSE(keepStartingPoint(dir.path(), {std::string(300, 'n'), {}, {}}, why));
  CHECK(why.find("at most 200 bytes") != std::string::npos);
  CHECK(fs::is_empty(dir.path()));
  CHECK(keepStartingPoint(dir.path(), {std::string(200, 'n'), {}, {}}, why));
  Problems p;
  CHECK(startingPointsIn(dir.path(), allKinds().registry(), p).size() == 1);
  CHECK(keepStartingPoint(dir.path(), {"../../x", {}, {}}, why)); // in its folder all the same
  CHECK(startingPointsIn(dir.path(), allKinds().registry(), p).size() == 2);
}

TEST_CASE("what is no file is named, and nobody waits for it", "[limits][audio][song]") {
  const TempFolder dir;
  REQUIRE(::mkfifo((dir / "pipe.wav").c_str(), 0600) == 0);
  fs::create_directories(dir / "folder.wav");
  fs::create_symlink(dir / "nowhere", dir / "link.wav");
  fs::create_symlink(dir / "loop.wav", dir / "loop.wav");
  CHECK(whatItIs(dir / "pipe.wav") == "a pipe");
  CHECK(whatItIs(dir / "folder.wav") == "a folder");
  CHECK(whatItIs(dir / "link.wav") == "a link that leads nowhere");
  CHECK(whatItIs(dir / "loop.wav") == "a link that leads nowhere");
  CHECK(whatItIs("/dev/null") == "a device");
  CHECK(whatItIs(dir / "not-there").empty());
  const StemStore store(dir / "cache");
  for (const char* name : {"pipe.wav", "folder.wav", "link.wav", "loop.wav", "not-there.wav"}) {
    INFO(name);
    Problems p;
    CHECK_FALSE(AudioReader::open(dir / name, 48000, "stems[0].file", p));
    CHECK_FALSE(resolveAudio({dir.path(), {}}, name, "stems[0].file", p));
    CHECK(store.digestOf(dir / name).empty());
    REQUIRE(p.list.size() == 2);
    for (const Problem& one : p.list) CHECK(one.message.find(name) != std::string::npos);
    CHECK(p.list[1].id == (std::string(name) == "loop.wav" ? ErrorId::out_of_reach : ErrorId::missing_audio));
    std::string why;
    CHECK_FALSE(readWholeFile(dir / name, 100, why));
    CHECK(why.find(name) != std::string::npos);
  }
  Problems p;
  AudioReader::open(dir / "pipe.wav", 48000, "", p);
  CHECK(p.list[0].message.ends_with("pipe.wav is a pipe, not a file"));
}

TEST_CASE("a file has no name until it is whole, and none is left when it is not", "[limits][song]") {
  const TempFolder dir;
  const auto names = [&] {
    std::size_t n = 0;
    for (const auto& e : fs::directory_iterator(dir.path())) n += !e.path().empty();
    return n;
  };
  {
    NewFile f(dir / "x");
    REQUIRE(f.fd() >= 0);
    CHECK(f.writeAt("abc", 3, 0));
    CHECK(names() == 0);
  }
  CHECK(names() == 0);
  {
    NewFile f(dir / "x");
    CHECK(f.writeAt("abc", 3, 0));
    CHECK(f.putInPlace());
  }
  CHECK(names() == 1);
  std::string why;
  CHECK(*readWholeFile(dir / "x", 10, why) == "abc");
  // Over what is there, and by many at once: it is always one of them, whole.
  std::vector<std::jthread> writers;
  for (int w = 0; w < 4; ++w)
    writers.emplace_back([&, w] {
      for (int i = 0; i < 50; ++i) {
        NewFile f(dir / "x");
        const std::string all(1000, static_cast<char>('a' + w));
        f.writeAt(all.data(), 1000, 0);
        f.putInPlace();
      }
    });
  for (int i = 0; i < 100; ++i) {
    const auto now = readWholeFile(dir / "x", 2000, why);
    REQUIRE(now);
    REQUIRE((now->size() == 3 || (now->size() == 1000 && *now == std::string(1000, now->front()))));
  }
  writers.clear();
  CHECK(names() == 1);
  NewFile nowhere(dir / "no-such-folder" / "x");
  CHECK(nowhere.fd() < 0);
}

TEST_CASE("JSON is valid for any bytes and any number", "[limits][song]") {
  CHECK(isUtf8("plain"));
  CHECK(isUtf8("\xc3\xa4\xe2\x82\xac\xf0\x9d\x84\x9e"));
  for (const char* bad : {"\xff", "\xc3", "\xc0\xaf", "\xed\xa0\x80", "\xf4\x90\x80\x80", "\xe2\x82", "\x80", "a\xf8"})
    CHECK_FALSE(isUtf8(bad));
  std::string all;
  for (int c = 0; c < 256; ++c) all += static_cast<char>(c);
  Problems p;
  const std::string text = compactJson(Object{{all, Value(all)},
                                              {"n", std::numeric_limits<double>::quiet_NaN()},
                                              {"i", std::numeric_limits<double>::infinity()}});
  CHECK(isUtf8(text));
  const auto back = parseJson(text, p);
  REQUIRE(back);
  CHECK((*back->object())[1].second.isNull());
  CHECK((*back->object())[2].second.isNull());
  // What is UTF-8 comes back as it was.
  const std::string good = all.substr(0, 128) + "ä€𝄞";
  CHECK(*parseJson(compactJson(Value(good)), p)->text() == good);
}

TEST_CASE("impulse responses that ship are named, and files of others are looked at", "[limits][song]") {
  Problems p;
  CHECK_FALSE(readSong(songWith(ornamentWith("\"start\": 0, \"length\": 1, \"finish\": [{\"type\": \"reverb\", "
                                             "\"impulse_file\": \"shipped:stairwel\"}]")),
                       allKinds().registry(), p));
  REQUIRE(p.list.size() == 1);
  CHECK(p.list[0].text() == "ornaments[0].finish[0].impulse_file: “shipped:stairwel” is not built into Ivrin (did "
                            "you mean “shipped:stairwell”?)");
  // One that is cut short, or holds what is no number, is an error of its place.
  const TempFolder dir;
  writeWav(dir / "ir.wav", 48000, 2, 4800,
           [](std::int64_t f, int) { return f == 100 ? std::numeric_limits<float>::quiet_NaN() : 0.1f; });
  std::ofstream(dir / "s.ivrin") << songWith(
      ornamentWith("\"start\": 0, \"length\": 1, \"finish\": [{\"type\": \"reverb\", \"character\": \"impulse\", "
                   "\"impulse_file\": \"ir.wav\"}]"));
  Problems found;
  const StemStore store(dir / "cache");
  const auto opened = openSong(dir / "s.ivrin", {}, allKinds(), store, found);
  REQUIRE(opened);
  REQUIRE(found.list.size() == 1);
  CHECK(found.list[0].id == ErrorId::bad_samples);
  CHECK(found.list[0].place == "ornaments[0].finish[0].impulse_file");
}

TEST_CASE("a song that its file could not hold is not made: every edit meets the reader's own limits",
          "[limits][song]") {
  const Registry registry = allKinds().registry();
  Document document(registry);
  Song song;
  Stem v;
  v.id = "v";
  song.stems.push_back(v);
  song.tempo = {{Beats(0), 400}};
  Ornament o;
  o.id = "o1";
  o.kind = "gap";
  o.on = "v";
  o.length = Beats::ofQuarters(1.0 / 64);
  song.ornaments.push_back(o);
  document.adopt(song, {}, {});
  // At 400 BPM a 64th of a beat; at 20, kept on the sound, under the shortest there can be.
  const Song slow = withGridCorrected(song, {{Beats(0), 20}}, 0);
  CHECK(document.edit("tempo", slow).find("out of range, allowed is 0.0009765625..65536") != std::string::npos);
  CHECK(document.song() == song);
  CHECK(document.history().undoLabel().empty());
  const auto refused = [&](const char* what, const std::function<void(Song&, Ornament&)>& change) {
    INFO(what);
    Song next = song;
    Ornament changed = o;
    change(next, changed);
    next = withOrnamentReplaced(next, changed);
    CHECK_FALSE(document.edit("edit", next).empty());
    CHECK(document.song() == song);
  };
  refused("a name that is no text", [](Song&, Ornament& x) { x.name = "\xff\xfe"; });
  refused("a title that is no text", [](Song& s, Ornament&) { s.title = "caf\xe9"; });
  refused("a setting that there is not", [](Song&, Ornament& x) { x.settings["volume"] = Value(1.0); });
  refused("a setting out of its range", [](Song&, Ornament& x) { x.settings["depth_db"] = Value(1e9); });
  refused("no number", [](Song&, Ornament& x) { x.gainDb = std::nan(""); });
  refused("a row that is not there", [](Song&, Ornament& x) { x.on = "w"; });
  refused("a landing that is not there", [](Song&, Ornament& x) { x.landing = "s9"; });
  refused("a source of no length", [](Song&, Ornament& x) { x.source = {{{}, Beats(0), Beats(1), 0}}; });
  refused("a seed beyond what JSON holds", [](Song&, Ornament& x) { x.seed = (std::int64_t{1} << 53) + 1; });
  refused("a tempo out of range", [](Song& s, Ornament&) { s.tempo[0].bpm = 19; });
  refused("a gain out of range", [](Song& s, Ornament&) { s.stems[0].mix.gainDb = 13; });
  refused("an id twice", [](Song& s, Ornament&) { s.buses.push_back({"v", "V", {}}); });
  refused("an id that names a folder", [](Song& s, Ornament&) { s.sections.push_back({"..", Beats(0), "A"}); });
  refused("bars before the song", [](Song& s, Ornament&) { s.leadBars = 65; });
  refused("too many bars before the song", [](Song& s, Ornament&) {
    s.leadBars = 64; // thirteen hours
    s.meter[0] = {Beats(0), 64, 1};
    s.tempo[0].bpm = 20;
  });
  // What shares its ornaments with a song that was checked costs what it changes, and is checked all the same.
  Ornament bad = o;
  bad.length = Beats(1);
  Problems known, whole;
  checkSong(withOrnamentReplaced(song, bad), registry, known, &song);
  checkSong(withOrnamentReplaced(song, bad), registry, whole);
  REQUIRE(known.list.size() == 1);
  CHECK(known.list[0].text() == whole.list[0].text());
  CHECK(known.list[0].place == "ornaments[0].length");
}

TEST_CASE("a text that would read back as another song is not written over the one that is there", "[limits][song]") {
  const TempFolder dir;
  const Registry registry = allKinds().registry();
  Song song;
  song.title = "Kept";
  Document document(registry);
  document.adopt(song, {}, {});
  REQUIRE(document.save(dir / "s.ivrin").why.empty());
  Song broken = song;
  broken.title = "\xff"; // cannot come by an edit
  Document other(registry);
  other.adopt(broken, {}, SongPlace{dir / "s.ivrin", {}, nullptr});
  CHECK(other.save(dir / "s.ivrin").why.find("could not be opened again") != std::string::npos);
  Problems problems;
  CHECK(readSongFile(dir / "s.ivrin", registry, problems)->title == "Kept");
}

TEST_CASE("whatever edits come one after the other, the song reads back equal", "[limits][song]") {
  const RandomEdits made = randomEdits(1, tries(4000));
  INFO(made.wrong);
  CHECK(made.wrong.empty());
  CHECK(made.taken > tries(4000) / 3);
  CHECK(made.refused > 0);
}
