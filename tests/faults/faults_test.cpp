// Every operation on files fails once, in everything that reads or writes one: nothing half written takes a file's
// place, what was there stays, what goes wrong is said with the file's name, and afterwards all works as before.
#include "faults.h"

#include "audio/audio_writer.h"
#include "document/document.h"
#include "files/held_file.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "finish/starting_points.h"
#include "play/player.h"
#include "render/export.h"
#include "services/opening.h"
#include "song/edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cerrno>
#include <fstream>
#include <map>
#include <thread>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

/// What became of one run: nothing said means that it was done.
struct Outcome {
  bool done = false;
  std::string said;
};

/// A piece of work in a folder of its own. `prepare` makes it, `work` is run with an operation failing, `after` looks,
/// without any failing, at what there is.
struct Work {
  std::function<void(const fs::path&)> prepare;
  std::function<Outcome(const fs::path&)> work;
  std::function<void(const fs::path&, const Outcome&)> after;
};

/// Runs it with every operation failing once, with each of these errors, and with the disk gone from there on. Returns
/// how many operations there are.
long everyFault(const Work& w) {
  const auto run = [&](long n, int error, bool forever) {
    const TempFolder dir;
    w.prepare(dir.path());
    armFaults(n, error, forever);
    Outcome o;
    try {
      o = w.work(dir.path());
    } catch (const std::exception& e) {
      o.said = e.what();
    }
    const long all = disarmFaults();
    INFO("operation " << n << " of " << all << " (" << failedOperation() << ", error " << error
                      << (forever ? ", and all after it" : "") << "): " << (o.done ? "done" : o.said));
    if (n == 0) REQUIRE(o.done);
    if (!o.done) CHECK_FALSE(o.said.empty());
    w.after(dir.path(), o);
    return all;
  };
  const long operations = run(0, 0, false);
  long tried = 0;
  for (const int error : {ENOSPC, EIO})
    for (const bool forever : {false, true})
      for (long n = 1; n <= operations; ++n, ++tried) run(n, error, forever);
  for (long n = 1; n <= operations; ++n, ++tried) run(n, EACCES, false);
  return operations;
}

std::map<std::string, long>& counts() {
  static std::map<std::string, long> all;
  return all;
}

Song songOf(const std::string& title, int landings) {
  Song s;
  s.title = title;
  for (int i = 0; i < landings; ++i) s.landings.push_back({"l" + std::to_string(i), Beats::ofQuarters(4.0 * i), "L"});
  return s;
}

std::string contents(const fs::path& file) {
  std::string why;
  return readWholeFile(file, 1 << 26, why).value_or("");
}

/// Files beside those expected: what was half written and left.
std::size_t others(const fs::path& folder, std::initializer_list<const char*> expected) {
  std::size_t n = 0;
  for (const auto& e : fs::recursive_directory_iterator(folder)) {
    if (e.is_directory()) continue;
    const std::string name = e.path().filename().string();
    n += std::none_of(expected.begin(), expected.end(), [&](const char* x) { return name == x; });
  }
  return n;
}

} // namespace

TEST_CASE("saving a song, whatever fails: the file is the one before or the new one, whole", "[faults]") {
  const Registry registry = allKinds().registry();
  const std::string before = writeSong(songOf("before", 3), registry), next = writeSong(songOf("next", 300), registry);
  counts()["save"] = everyFault({[&](const fs::path& dir) { std::ofstream(dir / "s.ivrin") << before; },
                                 [&](const fs::path& dir) {
                                   Outcome o;
                                   o.done = replaceFile(dir / "s.ivrin", next, o.said, 3);
                                   return o;
                                 },
                                 [&](const fs::path& dir, const Outcome& o) {
                                   const std::string now = contents(dir / "s.ivrin");
                                   const bool asBefore = now == before, asNext = now == next;
                                   CHECK((asBefore || asNext));
                                   if (o.done) CHECK(asNext);
                                   if (!o.done) {
                                     CHECK(asBefore);
                                     CHECK(o.said.find("s.ivrin") != std::string::npos);
                                   }
                                   // Saved afterwards as ever.
                                   std::string why;
                                   CHECK(replaceFile(dir / "s.ivrin", next, why, 3));
                                   CHECK(contents(dir / "s.ivrin") == next);
                                 }});
  CHECK(counts()["save"] > 5);
}

TEST_CASE("file systems that lack an operation: all versions are kept, edits and stems come back", "[faults]") {
  const Registry registry = allKinds().registry();
  const auto text = [&](int n) { return writeSong(songOf("save " + std::to_string(n), n), registry); };
  for (const Lacking what : {Lacking::nothing, Lacking::links, Lacking::namelessFiles, Lacking::linksAndNamelessFiles,
                             Lacking::folderSync, Lacking::maps, Lacking::locks}) {
    CAPTURE(static_cast<int>(what));
    const TempFolder dir;
    const fs::path file = dir / "s.ivrin";
    const Signal tone = sine(440, 48000, 0.5);
    writeWav(dir / "a.wav", 48000, 2, 4800, tone);
    const StemStore store(dir / "cache");
    lack(what);
    std::string why;
    for (int save = 1; save <= 5; ++save) CHECK(replaceFile(file, text(save), why, 3));
    CHECK(why.empty());
    CHECK(contents(file) == text(5));
    for (int version = 1; version <= 3; ++version)
      CHECK(contents(file.string() + "~" + std::to_string(version)) == text(5 - version));
    CHECK(others(dir.path(), {"s.ivrin", "s.ivrin~1", "s.ivrin~2", "s.ivrin~3", "a.wav"}) == 0);
    // The song, held by this window; its edit is in the journal.
    OpenedDocument opened = openDocument(file, {dir / "journal"}, store, {}, {});
    REQUIRE(opened.opened);
    {
      Document d(registry, dir / "journal", [&](const std::string& told) { why = told; });
      d.adopt(songOf("save 5", 5), {dir.path(), {}}, std::move(opened.place));
      d.edit("title", songOf("edited", 5));
      d.waitForJournal();
    }
    CHECK(why.empty());
    const OpenedDocument again = openDocument(file, {dir / "journal"}, store, {}, {});
    REQUIRE(again.broughtBack);
    CHECK(again.broughtBack->title == "edited");
    Problems problems;
    const auto stem = store.open(dir / "a.wav", 48000, "stems[0]", problems);
    lack(Lacking::nothing);
    REQUIRE(stem);
    CHECK(stem->left()[1000] == tone(1000, 0));
  }
}

TEST_CASE("what reads back otherwise than it was written takes no file's place", "[faults]") {
  const TempFolder dir;
  const fs::path file = dir / "s.ivrin";
  std::string why;
  REQUIRE(replaceFile(file, "the song before", why, 3));
  lack(Lacking::trueReads);
  const bool done = replaceFile(file, "the next one", why, 3);
  lack(Lacking::nothing);
  CHECK_FALSE(done);
  CHECK(why == "cannot write " + file.string() + ": " + systemWords(EIO));
  CHECK(contents(file) == "the song before");
  CHECK(others(dir.path(), {"s.ivrin"}) == 0);
}

TEST_CASE("where nothing can be locked, a file is held while the process that it names lives", "[faults]") {
  const TempFolder dir;
  const fs::path lock = dir / "s.lock";
  std::string me;
  { // as it is written
    const auto mine = HeldFile::take(lock);
    REQUIRE(mine.held);
    me = contents(lock);
  }
  const std::string host = me.substr(0, me.rfind(' ') + 1);
  lack(Lacking::locks);
  std::ofstream(lock) << host << ::getppid();
  const auto theirs = HeldFile::take(lock);
  std::ofstream(lock) << host << 4194304; // no process has this number
  const auto mine = HeldFile::take(lock);
  lack(Lacking::nothing);
  CHECK_FALSE(theirs.held);
  REQUIRE(theirs.by);
  CHECK(theirs.by->process == ::getppid());
  CHECK(theirs.by->onThisMachine());
  CHECK(mine.held);
}

TEST_CASE("without memory playing stops and says so; with it the song plays again", "[faults]") {
  TestSong t;
  t.stem("v", 96000, sine(440, 48000, 0.3));
  const auto plan = t.plan();
  Player player({48000, 256, true});
  player.setPlan(plan);
  {
    const NoMemoryElsewhere none;
    player.play(Frames(0));
    while (player.playing()) std::this_thread::yield(); // the mixer's end of it
  }
  CHECK(player.takeFault() == "there is not enough memory");
  CHECK(player.takeFault().empty());
  player.setPlan(plan);
  player.play(Frames(0));
  StereoBuffer b(256);
  float most = 0;
  for (int i = 0; most < 0.25f && i < 1000000; ++i) {
    player.fill(b.left(), b.right(), b.frames());
    most = std::max(most, largest(b));
    std::this_thread::yield();
  }
  CHECK(most > 0.25f);
}

TEST_CASE("a document's edits, journal and save, whatever fails: nothing of it is lost", "[faults]") {
  const Registry registry = allKinds().registry();
  const Song before = songOf("before", 3);
  counts()["document"] =
      everyFault({[&](const fs::path& dir) { std::ofstream(dir / "s.ivrin") << writeSong(before, registry); },
                  [&](const fs::path& dir) {
                    Outcome o;
                    std::string told;
                    Document d(registry, dir / "journal", [&](const std::string& why) { told = why; });
                    SongPlace place;
                    place.file = dir / "s.ivrin";
                    place.savedText = writeSong(before, registry);
                    place.held = HeldFile::take(lockOf(dir / "s.ivrin")).held;
                    d.adopt(before, {dir, {}}, std::move(place));
                    d.edit("title", songOf("edited", 5));
                    const Document::Saved saved = d.save(dir / "s.ivrin");
                    o.done = saved.why.empty();
                    o.said = saved.why;
                    return o;
                  },
                  [&](const fs::path& dir, const Outcome& o) {
                    Problems p;
                    const auto song = readSongFile(dir / "s.ivrin", registry, p);
                    REQUIRE(song);
                    CHECK((*song == before || *song == songOf("edited", 5)));
                    if (o.done) CHECK(song->title == "edited");
                    // A window opens it now, with what it can bring back.
                    const StemStore store(dir / "cache");
                    const OpenedDocument d = openDocument(dir / "s.ivrin", {dir / "journal"}, store, {}, {});
                    CHECK(d.opened);
                    CHECK_FALSE(d.heldBy);
                  }});
  CHECK(counts()["document"] > 20);
}

TEST_CASE("a journal, whatever fails: what it kept is what it kept, or the newer", "[faults]") {
  const Journal before{"/a/s.ivrin", "base", "song one", 1}, next{"/a/s.ivrin", "base", std::string(20000, 's'), 2};
  counts()["journal"] = everyFault({[&](const fs::path& dir) {
                                      std::string why;
                                      REQUIRE(writeJournal(dir / "j.json", before, why));
                                    },
                                    [&](const fs::path& dir) {
                                      Outcome o;
                                      o.done = writeJournal(dir / "j.json", next, o.said);
                                      Problems p;
                                      if (o.done) readJournal(dir / "j.json", p);
                                      return o;
                                    },
                                    [&](const fs::path& dir, const Outcome& o) {
                                      Problems p;
                                      const auto j = readJournal(dir / "j.json", p);
                                      REQUIRE(j);
                                      CHECK((j->song == before.song || j->song == next.song));
                                      if (o.done) CHECK(j->song == next.song);
                                      if (!o.done) CHECK(o.said.find("j.json") != std::string::npos);
                                    }});
}

TEST_CASE("bringing in a stem, whatever fails: it sounds, or is refused by name, and the next time it sounds",
          "[faults]") {
  const StereoBuffer x = fill(30000, noise(3, 0.4));
  counts()["import"] =
      everyFault({[&](const fs::path& dir) { writeWav(dir / "v.wav", 44100, 2, 30000, noise(3, 0.4)); },
                  [&](const fs::path& dir) {
                    Outcome o;
                    const StemStore store(dir / "cache");
                    Problems p;
                    const auto a = store.open(dir / "v.wav", 44100, "stems[0].file", p);
                    if (a) {
                      o.done = true;
                      CHECK(std::equal(x.left(), x.left() + 30000, a->left()));
                    } else if (!p.list.empty()) {
                      o.said = p.list[0].text();
                    }
                    return o;
                  },
                  [&](const fs::path& dir, const Outcome& o) {
                    if (!o.done) {
                      CHECK(o.said.find("stems[0].file") != std::string::npos);
                      CHECK((o.said.find("v.wav") != std::string::npos || o.said.find("cache") != std::string::npos));
                    }
                    const StemStore store(dir / "cache");
                    Problems p;
                    const auto a = store.open(dir / "v.wav", 44100, "stems[0].file", p);
                    REQUIRE(a);
                    CHECK(a->frames() == 30000);
                    CHECK(std::equal(x.right(), x.right() + 30000, a->right()));
                    CHECK(a->verify());
                  }});
  CHECK(counts()["import"] > 20);
}

TEST_CASE("an export, whatever fails: each file is whole or not there, and what was there before stays", "[faults]") {
  for (const AudioFormat format : {AudioFormat::wav24, AudioFormat::flac16}) {
    TestSong t;
    t.stem("v", 24000, sine(440, 48000, 0.3));
    t.ornament("treat", "v", 0, 0.5, {{"tail_seconds", Value(0.0)}});
    const auto plan = t.plan();
    ExportOptions e;
    e.format = format;
    e.stems = true;
    e.threads = 1;
    const std::string ending = extensionOf(format);
    const TempFolder good;
    exportSong(plan, good.path(), e);
    const std::string mix = contents(good / ("mix" + ending)), stem = contents(good / "stems" / ("v" + ending));
    REQUIRE(mix.size() > 10000);
    const std::string name = std::string("export ") + (format == AudioFormat::wav24 ? "WAV" : "FLAC");
    counts()[name] =
        everyFault({[&](const fs::path& dir) {
                      fs::create_directories(dir / "out" / "stems");
                      std::ofstream(dir / "out" / ("mix" + ending)) << (ending == ".wav" ? "RIFF" : "fLaC") << "before";
                    },
                    [&](const fs::path& dir) {
                      Outcome o;
                      exportSong(plan, dir / "out", e);
                      o.done = true;
                      return o;
                    },
                    [&](const fs::path& dir, const Outcome& o) {
                      const std::string m = contents(dir / "out" / ("mix" + ending));
                      const bool asBefore = m.ends_with("before"), asWanted = m == mix;
                      CHECK((asBefore || asWanted));
                      const fs::path s = dir / "out" / "stems" / ("v" + ending);
                      const bool stemWhole = contents(s) == stem;
                      CHECK((!fs::exists(s) || stemWhole));
                      if (o.done) {
                        CHECK(m == mix);
                        CHECK(contents(s) == stem);
                      } else {
                        CHECK(o.said.find(dir.string()) != std::string::npos);
                      }
                      // A name that could not be removed is all that may be left.
                      if (failedOperation() != "unlink" && failedOperation() != "rename")
                        CHECK(others(dir / "out", {("mix" + ending).c_str(), ("v" + ending).c_str()}) == 0);
                    }});
    CHECK(counts()[name] > 20);
  }
}

TEST_CASE("a starting point, whatever fails", "[faults]") {
  const Registry registry = allKinds().registry();
  const StartingPoint point{"mine", {"treat"}, {{"gain", {{"db", Value(-3.0)}}}}};
  StartingPoint before = point;
  before.finish.clear();
  counts()["starting point"] = everyFault({[&](const fs::path& dir) {
                                             std::string why;
                                             REQUIRE(keepStartingPoint(dir / "points", before, why));
                                           },
                                           [&](const fs::path& dir) {
                                             Outcome o;
                                             o.done = keepStartingPoint(dir / "points", point, o.said);
                                             Problems p;
                                             if (o.done) startingPointsIn(dir / "points", registry, p);
                                             return o;
                                           },
                                           [&](const fs::path& dir, const Outcome& o) {
                                             Problems p;
                                             const auto all = startingPointsIn(dir / "points", registry, p);
                                             REQUIRE(all.size() == 1);
                                             CHECK((all[0] == before || all[0] == point));
                                             if (o.done) CHECK(all[0] == point);
                                             if (!o.done) CHECK(o.said.find("mine.json") != std::string::npos);
                                           }});
}

TEST_CASE("opening a song with its stems and what was left of it, whatever fails", "[faults]") {
  const Registry registry = allKinds().registry();
  Song song = songOf("left", 2);
  Stem stem;
  stem.id = stem.name = "v";
  stem.file = "v.wav";
  song.stems.push_back(stem);
  counts()["open"] =
      everyFault({[&](const fs::path& dir) {
                    writeWav(dir / "v.wav", 48000, 1, 20000, noise(3, 0.4));
                    std::ofstream(dir / "s.ivrin") << writeSong(song, registry);
                    Song edited = song;
                    edited.title = "edited";
                    std::string why;
                    fs::create_directories(dir / "journal");
                    REQUIRE(writeJournal(
                        journalFor(dir / "journal", dir / "s.ivrin"),
                        {(dir / "s.ivrin").string(), contents(dir / "s.ivrin"), writeSong(edited, registry), 1}, why));
                  },
                  [&](const fs::path& dir) {
                    Outcome o;
                    const StemStore store(dir / "cache");
                    const OpenedDocument d = openDocument(dir / "s.ivrin", {dir / "journal"}, store, {}, {});
                    o.done = d.opened && !d.problems.hasErrors();
                    if (!d.problems.list.empty()) o.said = d.problems.list[0].text();
                    if (!o.done && o.said.empty() && d.heldBy) o.said = "held";
                    return o;
                  },
                  [&](const fs::path& dir, const Outcome&) {
                    // Whatever went wrong, the edits are there for the next window.
                    const StemStore store(dir / "cache");
                    const OpenedDocument d = openDocument(dir / "s.ivrin", {dir / "journal"}, store, {}, {});
                    REQUIRE(d.opened);
                    REQUIRE(d.broughtBack);
                    CHECK(d.broughtBack->title == "edited");
                    CHECK(d.opened->audio.of("v"));
                  }});
  CHECK(counts()["open"] > 40);
}

TEST_CASE("how many operations there were", "[faults]") {
  long all = 0;
  for (const auto& [what, n] : counts()) {
    std::printf("faults: %-16s %4ld operations, %5ld faults\n", what.c_str(), n, 5 * n);
    all += n;
  }
  CHECK(all > 200);
}
