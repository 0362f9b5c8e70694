// Nothing is written elsewhere, over what a song is made of, or half; and what a file says costs no more than reading
// it.
#include "audio/audio_reader.h"
#include "audio/audio_writer.h"
#include "audio/stem_store.h"
#include "files/audio_folders.h"
#include "files/safe_file.h"
#include "files/song_file.h"
#include "files/targets.h"
#include "render/export.h"
#include "song/edits.h"
#include "test_support/full_disk.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <limits>
#include <set>
#include <sys/stat.h>
#include <thread>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

std::string songText(int version, const std::string& stem, const std::string& bus, const std::string& section,
                     const std::string& ornament) {
  return R"({"format": "ivrin-song", "version": )" + std::to_string(version) + R"(, "sample_rate": 48000,
    "tempo": [{"at": 0, "bpm": 120}], "meter": [{"at": 0, "count": 4, "unit": 4}],
    "sections": [{"id": ")" +
         section + R"(", "at": 0, "name": "A"}], "buses": [{"id": ")" + bus + R"(", "name": "B"}],
    "stems": [{"id": ")" +
         stem + R"(", "name": "S", "bus": ")" + bus + R"("}, {"id": "other", "name": "O"}],
    "ornaments": [{"id": ")" +
         ornament + R"(", "kind": "treat", "on": ")" + stem + R"(", "start": 0, "length": 1, "landing": ")" + section +
         R"(", "source": {"row": ")" + bus + R"(", "start": 0, "length": 1},
      "finish": [{"type": "duck", "key": ")" +
         stem + R"("}], "variants": [{"slot": "B", "finish": [{"type": "duck", "key": ")" + bus + R"("}]}]}]})";
}

std::vector<fs::path> filesIn(const fs::path& folder) {
  std::vector<fs::path> all;
  for (const auto& e : fs::recursive_directory_iterator(folder))
    if (!e.is_directory()) all.push_back(e.path());
  std::sort(all.begin(), all.end());
  return all;
}

/// A song of one steady stem whose mix is `level`.
std::unique_ptr<TestSong> steady(float level, std::int64_t frames = 48000) {
  auto t = std::make_unique<TestSong>();
  t->stem("v", frames, [level](std::int64_t, int) { return level; });
  return t;
}

} // namespace

TEST_CASE("an id is a name, not a path", "[files][song]") {
  for (const std::string& fine : {std::string("a"), std::string("lead-voice"), std::string("A.b_c-9"),
                                  std::string("..a"), std::string("..."), std::string(64, 'x')})
    CHECK(isId(fine));
  for (const std::string& bad :
       std::vector<std::string>{"", ".", "..", "a/b", "../x", "/elsewhere/x", "a b", "ä", "a\\b", "a\nb", "x\"", "~"})
    CHECK_FALSE(isId(bad));
  CHECK_FALSE(isId(std::string(65, 'x')));
  CHECK_FALSE(isId(std::string("a\0b", 3)));
}

TEST_CASE("ids that are no ids: refused in a file of version 2, replaced with all that names them in one of version 1",
          "[files][song]") {
  const Registry registry = allKinds().registry();
  const char *stem = "../../x", *bus = "/elsewhere/b", *section = "..", *ornament = "o 1/..";
  Problems late;
  CHECK_FALSE(readSong(songText(2, stem, bus, section, ornament), registry, late));
  std::set<std::string> places;
  for (const Problem& p : late.list) {
    CHECK(p.id == ErrorId::out_of_range);
    places.insert(p.place);
  }
  CHECK(places == std::set<std::string>{"buses[0].id", "stems[0].id", "sections[0].id", "ornaments[0].id"});

  Problems early;
  const auto song = readSong(songText(1, stem, bus, section, ornament), registry, early);
  REQUIRE(song);
  CHECK(early.list.size() == 4);
  CHECK_FALSE(early.hasErrors());
  const std::string row = song->stems[0].id, group = song->buses[0].id, land = song->sections[0].id;
  for (const std::string& id : {row, group, land, song->ornaments[0]->id}) CHECK(isId(id));
  CHECK(early.list[1].message.find("../../x") != std::string::npos);
  CHECK(early.list[1].message.find(row) != std::string::npos);
  // All that named them follows.
  const Ornament& o = *song->ornaments[0];
  CHECK(song->stems[0].bus == group);
  CHECK(o.on == row);
  CHECK(o.landing == land);
  CHECK(o.source[0].row == group);
  CHECK(o.finish[0].settings.at("key") == Value(row));
  CHECK(o.variants[0].finish[0].settings.at("key") == Value(group));
  CHECK(song->stems[1].id == "other");
  // It can be written and read again, and needs no note then.
  Problems again;
  CHECK(readSong(writeSong(*song, registry), registry, again) == song);
  CHECK(again.list.empty());
  // A free one: never one that is there already.
  Problems taken;
  const auto close = readSong(songText(1, "other/", "b", "s", "o"), registry, taken);
  REQUIRE(close);
  CHECK(close->stems[0].id == "other-2");
  CHECK(close->ornaments[0]->on == "other-2");
  CHECK(isId(freshRowId(*song, std::string(500, 'n'))));
  CHECK(isId(freshRowId(*song, "../..")));
}

TEST_CASE("what is exported lies in its folder, under names made of ids alone", "[files][export]") {
  TestSong t;
  t.stem("v", 48000, sine(440, 48000, 0.3));
  t.song.stems[0].id = "v"; // as a file of version 1 had it, then read
  const TempFolder out;
  ExportOptions e;
  e.stems = e.dry = e.wet = e.ornaments = true;
  t.ornament("delay-throw", "v", 0, 0.5);
  const ExportReport r = exportSong(t.plan(), out / "here", e);
  CHECK(r.files.size() == 8);
  for (const fs::path& f : filesIn(out.path())) CHECK(f.string().starts_with((out / "here").string() + "/"));
  CHECK(filesIn(out.path()).size() == r.files.size()); // nothing half written beside them
}

TEST_CASE("nothing is written over a source, a device or a file of another kind", "[files][export]") {
  const auto t = steady(0.25f);
  const TempFolder dir;
  fs::create_directories(dir / "stems");
  writeWav(dir / "stems" / "v.wav", 48000, 2, 48000, sine(440, 48000, 0.3));
  t->song.stems[0].file = (dir / "stems" / "v.wav").string();
  ExportOptions e;
  e.mix = false;
  e.stems = true;
  const auto why = [&](const fs::path& folder) {
    try {
      exportSong(t->plan(), folder, e);
    } catch (const std::exception& x) {
      return std::string(x.what());
    }
    return std::string();
  };
  std::string error;
  const std::string before = *readWholeFile(dir / "stems" / "v.wav", 1 << 20, error);
  CHECK(why(dir.path()).find("is a source of this song") != std::string::npos);
  CHECK(*readWholeFile(dir / "stems" / "v.wav", 1 << 20, error) == before);
  CHECK(filesIn(dir.path()).size() == 1); // before anything was computed or written
  // Under another name it is a source all the same.
  fs::create_directories(dir / "other" / "stems");
  fs::create_hard_link(dir / "stems" / "v.wav", dir / "other" / "stems" / "v.wav");
  CHECK(why(dir / "other").find("is a source of this song") != std::string::npos);
  fs::create_directories(dir / "link" / "stems");
  fs::create_symlink(dir / "stems" / "v.wav", dir / "link" / "stems" / "v.wav");
  CHECK(why(dir / "link").find("is a source of this song") != std::string::npos);
  // A folder, a pipe, a text.
  fs::create_directories(dir / "a" / "stems" / "v.wav");
  CHECK(why(dir / "a").find("v.wav is a folder, not a file") != std::string::npos);
  fs::create_directories(dir / "b" / "stems");
  REQUIRE(::mkfifo((dir / "b" / "stems" / "v.wav").c_str(), 0600) == 0);
  CHECK(why(dir / "b").find("v.wav is a pipe, not a file") != std::string::npos);
  fs::create_directories(dir / "c" / "stems");
  std::ofstream(dir / "c" / "stems" / "v.wav") << "my notes";
  CHECK(why(dir / "c").find("is not a sound file") != std::string::npos);
  CHECK(*readWholeFile(dir / "c" / "stems" / "v.wav", 100, error) == "my notes");
  // An export of before is written over.
  CHECK(why(dir / "d").empty());
  CHECK(why(dir / "d").empty());

  // Songs: over a song or nothing.
  const Sources sources(t->song);
  CHECK(whyNotWritten(dir / "new.ivrin", TargetKind::song, sources).empty());
  std::ofstream(dir / "a.ivrin") << writeSong(t->song, allKinds().registry());
  CHECK(whyNotWritten(dir / "a.ivrin", TargetKind::song, sources).empty());
  CHECK(whyNotWritten(dir / "stems" / "v.wav", TargetKind::song, sources).find("source") != std::string::npos);
  CHECK(whyNotWritten(dir / "d" / "stems" / "v.wav", TargetKind::song, sources).find("not a song") !=
        std::string::npos);
  CHECK(whyNotWritten("/dev/null", TargetKind::song, sources).find("is a device, not a file") != std::string::npos);
  CHECK_FALSE(replaceFile("/dev/null", "x", error));
  CHECK(error.find("is a device, not a file") != std::string::npos);
  CHECK(fs::is_character_file("/dev/null"));
  CHECK_FALSE(replaceFile(dir / "stems", "x", error));
  CHECK(fs::is_directory(dir / "stems"));
}

// Each round exports two songs of six rows at once: two dozen rounds take two seconds.
TEST_CASE("two exports into one folder: in the end all of it is one song's", "[files][export][threads]") {
  const auto songOf = [](float level) {
    auto t = std::make_unique<TestSong>();
    for (const char* id : {"a", "b", "c", "d", "e", "f"})
      t->stem(id, 24000, [level](std::int64_t, int) { return level; });
    return t;
  };
  const auto one = songOf(0.25f), two = songOf(0.5f);
  const auto planOne = one->plan(), planTwo = two->plan();
  for (int round = 0; round < tries(24); ++round) {
    const TempFolder out;
    ExportOptions e;
    e.stems = true;
    e.threads = 1;
    const auto run = [&](const std::shared_ptr<const RenderPlan>& plan) { exportSong(plan, out.path(), e); };
    std::jthread other([&] { run(planTwo); });
    run(planOne);
    other.join();
    std::set<float> levels;
    for (const char* id : {"a", "b", "c", "d", "e", "f"}) {
      Problems p;
      auto reader = AudioReader::open(out / "stems" / (std::string(id) + ".wav"), 48000, id, p);
      REQUIRE(reader);
      float left[100], right[100];
      REQUIRE(reader->read(left, right, 100) == 100);
      levels.insert(std::round(left[50] * 100) / 100);
    }
    CHECK(levels.size() == 1);
    CHECK(filesIn(out.path()).size() == 8);
  }
}

TEST_CASE("an export that waits for another one ends when asked to stop", "[files][export][threads]") {
  const auto t = steady(0.25f);
  const TempFolder out;
  // Another one, from its first word of progress on until it is let go.
  std::atomic<bool> inside{false}, letGo{false};
  const auto plan = t->plan();
  std::jthread other([&] {
    exportSong(plan, out.path(), {}, {}, [&](double, const std::string&) {
      inside = true;
      inside.notify_all();
      letGo.wait(false);
    });
  });
  inside.wait(false);
  std::stop_source stop;
  bool told = false;
  const ExportReport r = exportSong(plan, out.path(), {}, stop.get_token(), [&](double, const std::string& what) {
    if (what.find("Waiting for another export") != std::string::npos) told = true;
    stop.request_stop();
  });
  CHECK(r.stopped);
  CHECK(told);
  letGo = true;
  letGo.notify_all();
}

TEST_CASE("on a full disk nothing that cannot be read back takes a file's place", "[files][export]") {
  const TempFolder dir;
  const StereoBuffer sound = fill(30000, noise(4, 0.3));
  const auto write = [&](AudioFormat format, const fs::path& file) {
    AudioWriter w(file, format, 48000, sound.frames(), 1);
    w.write(sound.left(), sound.right(), sound.frames(), 0);
    w.finish();
  };
  for (const AudioFormat format : {AudioFormat::flac16, AudioFormat::flac24, AudioFormat::wav24}) {
    const fs::path file = dir / ("f" + extensionOf(format));
    write(format, file);
    const auto whole = fs::file_size(file);
    int failed = 0;
    std::string good;
    std::string why;
    good = *readWholeFile(file, 1 << 22, why);
    for (int k = 0; k < 60; ++k) {
      const auto room = static_cast<rlim_t>(static_cast<double>(whole) * k / 60);
      try {
        const FullDisk full(room);
        write(format, file);
      } catch (const std::exception& e) {
        ++failed;
        CHECK(std::string(e.what()).find(file.string()) != std::string::npos);
      }
      REQUIRE(*readWholeFile(file, 1 << 22, why) == good); // what was there, or the same again
    }
    CHECK(failed == 60);
    CHECK(filesIn(dir.path()).size() == 1);
    fs::remove(file);
  }
}

// Before it was mended each of these took most of a minute.
TEST_CASE("what a file says costs no more than reading it", "[files][song]") {
  const Registry registry = allKinds().registry();
  const std::string head = R"({"format": "ivrin-song", "version": 1, "sample_rate": 48000, )";
  std::string keys = head, stems = head + R"("stems": [)", long1 = head + R"("stems": [)",
              wrong = head + R"("ornaments": [)";
  const int many = kSanitized ? 20000 : 100000;
  for (int i = 0; i < many; ++i) keys += "\"k" + std::to_string(i) + "\": 0, ";
  keys += R"("title": "x"})";
  for (int i = 0; i < many; ++i) stems += (i ? ", " : "") + std::string("{\"id\": \"s") + std::to_string(i) + "\"}";
  stems += "]}";
  for (int i = 0; i < 50; ++i)
    long1 += (i ? ", " : "") + std::string("{\"id\": \"") + std::string(20000, static_cast<char>('a' + i % 26)) +
             std::to_string(i) + "\", \"bus\": \"" + std::string(20000, 'z') + "\"}";
  long1 += "]}";
  for (int i = 0; i < 20000; ++i)
    wrong += (i ? ", " : "") + std::string("{\"id\": \"o\", \"on\": \"nowhere\", \"x\": 1}");
  wrong += "]}";
  for (const std::string* text : {&keys, &stems, &long1, &wrong}) {
    Problems p;
    readSong(*text, registry, p);
    CHECK(p.hasErrors());
    CHECK(p.list.size() <= Problems::kMost + 1);
    for (const Problem& one : p.list) CHECK(one.text().size() < 25000);
  }
  // The rest is counted.
  Problems p;
  readSong(wrong, registry, p);
  REQUIRE(p.list.size() == Problems::kMost + 1);
  CHECK(p.list.back().isError);
  CHECK(p.list.back().message.starts_with("and "));
  CHECK(std::stoi(p.list.back().message.substr(4)) > 40000);
  // An error is never lost among notes.
  Problems notes;
  for (int i = 0; i < 500; ++i) notes.note(ErrorId::refused, "", "note");
  CHECK_FALSE(notes.hasErrors());
  notes.error(ErrorId::refused, "", "error");
  CHECK(notes.hasErrors());
  CHECK(notes.list.back().message == "and 301 more");
}

namespace {

/// A stem of two seconds and a store for it.
struct Stored {
  TempFolder dir;
  fs::path file = dir / "v.wav";
  StemStore store{dir / "cache"};
  Stored() {
    writeWav(file, 48000, 2, 96000, noise(7, 0.4));
    CHECK(open());
  }
  std::shared_ptr<const StemAudio> open() {
    Problems p;
    auto a = store.open(file, 48000, "stems[0].file", p);
    CHECK(p.list.empty());
    return a;
  }
  fs::path cached() const {
    for (const auto& e : fs::directory_iterator(dir / "cache" / "stems"))
      if (e.path().extension() == ".f32") return e.path();
    return {};
  }
  bool sounds(const std::shared_ptr<const StemAudio>& a) const {
    const StereoBuffer wanted = fill(96000, noise(7, 0.4));
    return a && a->frames() == 96000 && a->channels() == 2 &&
           std::equal(wanted.left(), wanted.left() + 96000, a->left(),
                      [](float x, float y) { return std::abs(x - y) < 1e-6f; });
  }
};

} // namespace

TEST_CASE("a damaged cache is only a cache: the stem is brought in anew", "[files][audio]") {
  Stored s;
  CHECK(s.sounds(s.open()));
  const fs::path file = s.cached();
  const auto whole = fs::file_size(file);
  // Every byte of the header, turned round.
  int anew = 0;
  for (std::streamoff at = 0; at < 96; ++at) {
    {
      std::fstream f(file, std::ios::in | std::ios::out | std::ios::binary);
      f.seekg(at);
      const int was = f.get();
      f.seekp(at);
      f.put(static_cast<char>(~was));
    }
    const auto inode = [&] {
      struct stat st {};
      ::stat(file.c_str(), &st);
      return st.st_ino;
    };
    const auto before = inode();
    CHECK(s.sounds(s.open()));
    anew += inode() != before;
  }
  CHECK(anew >= 72); // all of it but what lies behind the header
  // Cut short anywhere, or grown.
  for (int k = 0; k < 40; ++k) {
    fs::resize_file(file, whole * static_cast<std::uintmax_t>(k) / 40);
    CHECK(s.sounds(s.open()));
    CHECK(fs::file_size(file) == whole);
  }
  fs::resize_file(file, whole + 12345);
  CHECK(s.sounds(s.open()));
  // A folder, a link or a pipe in its place goes out of the way; what is in the folder is kept.
  fs::remove(file);
  fs::create_directories(file / "x");
  CHECK(s.sounds(s.open()));
  CHECK(fs::exists(file.string() + ".aside-1/x"));
  for (const bool pipe : {true, false}) {
    fs::remove(file);
    if (pipe)
      REQUIRE(::mkfifo(file.c_str(), 0600) == 0);
    else
      fs::create_symlink("/dev/zero", file);
    CHECK(s.sounds(s.open()));
    CHECK(fs::is_regular_file(fs::symlink_status(file)));
  }
}

TEST_CASE("a stem that is changed while it is brought in is not kept as what it was", "[files][audio]") {
  Stored s;
  const fs::path other = s.dir / "other.wav";
  writeWav(other, 48000, 2, 200000, noise(8, 0.4));
  Problems p;
  bool changed = false;
  const auto a = s.store.open(other, 48000, "stems[1].file", p, {}, [&](std::int64_t, std::int64_t) {
    if (!std::exchange(changed, true)) {
      std::ofstream f(other, std::ios::app);
      f << "more";
    }
  });
  CHECK(changed);
  CHECK_FALSE(a);
  REQUIRE(p.list.size() == 1);
  CHECK(p.list[0].message.find("changed while it was being read") != std::string::npos);
  CHECK(p.list[0].place == "stems[1].file");
  CHECK(std::distance(fs::directory_iterator(s.dir / "cache" / "stems"), {}) == 1); // the first one alone
  CHECK(s.sounds(s.open()));
}

TEST_CASE("samples beyond all sound count as broken, like what is no number", "[files][audio]") {
  const TempFolder dir;
  const float inf = std::numeric_limits<float>::infinity(), nan = std::numeric_limits<float>::quiet_NaN();
  const float odd[] = {nan, inf, -inf, 2e6f, -1e30f, 1e6f, -1e6f, 0.5f};
  writeWav(dir / "v.wav", 48000, 2, 48000,
           [&](std::int64_t f, int side) { return side == 1 && f >= 1000 && f < 1008 ? odd[f - 1000] : 0.25f; });
  const StemStore store(dir / "cache");
  Problems p;
  const auto a = store.open(dir / "v.wav", 48000, "stems[0].file", p);
  REQUIRE(a);
  CHECK(a->badSamples() == 5);
  const float expected[] = {0, 0, 0, 0, 0, 1e6f, -1e6f, 0.5f};
  for (int i = 0; i < 8; ++i) CHECK(a->right()[1000 + i] == expected[i]);
  CHECK(a->left()[1003] == 0.25f);
}

TEST_CASE("no folder is no reach", "[files][song]") {
  const TempFolder song, other;
  std::ofstream(other / "v.wav") << "x";
  Problems p;
  for (const fs::path& allowed : {fs::path(""), fs::path("no-such-folder")}) {
    CHECK_FALSE(resolveAudio({song.path(), {allowed}}, (other / "v.wav").string(), "stems[0].file", p));
  }
  CHECK(p.list.size() == 2);
  CHECK(resolveAudio({song.path(), {other.path()}}, (other / "v.wav").string(), "stems[0].file", p));
}
