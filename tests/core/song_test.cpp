#include "files/audio_folders.h"
#include "files/journal.h"
#include "files/safe_file.h"
#include "song/curve.h"
#include "song/edits.h"
#include "song/history.h"
#include "test_support/full_disk.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <fstream>

using namespace ivrin;
using test::TempFolder;

TEST_CASE("curves bend by the law of core/song/curve.h and jump at equal x", "[song]") {
  const Curve c({{0, 10, 0}, {2, 20, 0.5}, {2, 0, 0}, {4, 8, -1}});
  CHECK(c.at(-1) == 10);
  CHECK(c.at(9) == 8);
  CHECK(c.at(1) == Approx(10 + 10 * std::expm1(6 * 0.5 * 0.5) / std::expm1(6 * 0.5)));
  CHECK(c.at(2) == 0); // the later point counts
  CHECK(c.at(1.999999) == Approx(20).margin(1e-3));
  CHECK(c.at(3) == Approx(8 * std::expm1(-3) / std::expm1(-6)));
  CHECK(bendProgress(0, 0.3) == 0.3);
  CHECK(bendProgress(1e-12, 0.3) == Approx(0.3));
  CHECK(Curve::from(c.value()) == c);
}

TEST_CASE("moving a landing moves what is tied to it by the same ticks", "[song]") {
  Song s;
  s.sections = {{"a", Beats(0), "A"}, {"b", Beats::ofQuarters(16), "B"}};
  Ornament tied, free;
  tied.id = "t";
  tied.landing = "b";
  tied.start = Beats(kTicksPerQuarter * 15 + 1);
  free.id = "f";
  free.start = Beats::ofQuarters(15);
  s = withOrnament(withOrnament(s, tied), free);
  const Song moved = withLandingMoved(s, "b", Beats::ofQuarters(20));
  CHECK(moved.ornament("t")->start.ticks == tied.start.ticks + 4 * kTicksPerQuarter);
  CHECK(moved.ornament("f")->start == free.start);
  CHECK(moved.ornaments[1].get() == s.ornaments[1].get()); // what did not change is shared
}

TEST_CASE("rows come in score order: a bus after its members, the mix last", "[song]") {
  Song s;
  s.buses = {{"music", "Music", {}}, {"empty", "Empty", {}}};
  for (const char* id : {"keys", "voice", "strings"}) {
    Stem stem;
    stem.id = id;
    if (std::string(id) != "voice") stem.bus = "music";
    s = withStem(s, stem);
  }
  CHECK(s.rowsInScoreOrder() == std::vector<std::string>{"keys", "strings", "music", "voice", "empty", "mix"});
  CHECK(freshRowId(s, "Lead Voice!") == "lead-voice");
  CHECK(freshRowId(s, "voice") == "voice-2");
  CHECK(freshRowId(s, "♪") == "row");
}

TEST_CASE("undo and redo give back equal songs, drags merge into one step", "[song]") {
  Song first;
  first.title = "first";
  History h(first);
  h.markSaved();
  const auto renamed = [&](const char* t) {
    Song s = h.song();
    s.title = t;
    return s;
  };
  h.edit("name", "", renamed("second"));
  h.settle();
  for (const char* t : {"a", "b", "c"}) h.edit("drag", "drag-1", renamed(t));
  h.settle();
  h.edit("drag", "drag-1", renamed("d")); // a new drag with the same key is a step of its own
  CHECK(h.undoLabel() == "drag");
  h.undo();
  CHECK(h.song().title == "c");
  h.undo();
  CHECK(h.song().title == "second");
  CHECK(h.redoLabel() == "drag");
  h.undo();
  CHECK(h.song() == first);
  CHECK_FALSE(h.canUndo());
  CHECK_FALSE(h.changedSinceSave()); // undo past everything is the saved song again
  h.redo();
  h.redo();
  h.redo();
  CHECK(h.song().title == "d");
  CHECK_FALSE(h.canRedo());
  h.undo();
  h.edit("other", "", renamed("e"));
  CHECK_FALSE(h.canRedo());
  h.markSaved();
  CHECK(h.canUndo()); // saving keeps the steps
  h.edit("nothing", "", h.song());
  CHECK(h.undoLabel() == "other"); // an edit that changes nothing leaves no step
  h.settle();
  h.edit("drag", "k", renamed("f"));
  h.edit("drag", "k", renamed("e")); // dragged back to where it was
  CHECK(h.undoLabel() == "other");
}

TEST_CASE("a drag that returns to its start leaves the one before it a step of its own", "[song]") {
  Song first;
  first.title = "first";
  History h(first);
  const auto drag = [&](const char* t) {
    Song s = h.song();
    s.title = t;
    h.edit("drag", "k", std::move(s));
  };
  drag("a");
  h.settle();
  drag("b");
  drag("a"); // back where it began: no step
  drag("c"); // and on again
  CHECK(h.song().title == "c");
  h.undo();
  CHECK(h.song().title == "a"); // before it was mended: "first"
  h.undo();
  CHECK(h.song().title == "first");
  CHECK_FALSE(h.canUndo());
}

TEST_CASE("a file is replaced as a whole and former versions are kept", "[song]") {
  TempFolder dir;
  std::string why;
  REQUIRE(replaceFile(dir / "f", "one", why, 2));
  REQUIRE(replaceFile(dir / "f", "two", why, 2));
  REQUIRE(replaceFile(dir / "f", "three", why, 2));
  REQUIRE(replaceFile(dir / "f", "four", why, 2));
  CHECK(*readWholeFile(dir / "f", 100, why) == "four");
  CHECK(*readWholeFile(dir / "f~1", 100, why) == "three");
  CHECK(*readWholeFile(dir / "f~2", 100, why) == "two");
  CHECK_FALSE(std::filesystem::exists(dir / "f~3"));
  CHECK_FALSE(replaceFile(dir / "no-such-folder" / "f", "x", why));
  CHECK(why.find("no-such-folder") != std::string::npos);
  CHECK_FALSE(readWholeFile(dir / "f", 2, why));
  CHECK_FALSE(readWholeFile(dir.path(), 100, why));
  CHECK(why.find("not a file") != std::string::npos);
}

TEST_CASE("a full disk leaves the old file whole", "[song]") {
  TempFolder dir;
  std::string why;
  REQUIRE(replaceFile(dir / "f", "good", why));
  for (const rlim_t room : {0, 1, 4095, 99999}) {
    const ivrin::test::FullDisk full(room);
    CHECK_FALSE(replaceFile(dir / "f", std::string(100000, 'x'), why));
    CHECK(why.find("no space left") != std::string::npos);
  }
  CHECK(*readWholeFile(dir / "f", 100, why) == "good");
  CHECK(std::distance(std::filesystem::directory_iterator(dir.path()), {}) == 1); // nothing half written beside it
}

TEST_CASE("a song reads no audio outside its reach, links resolved", "[song]") {
  TempFolder inside, outside;
  std::ofstream(outside / "far.wav") << "x";
  std::ofstream(inside / "near.wav") << "x";
  std::filesystem::create_symlink(outside / "far.wav", inside / "link.wav");
  const auto idOf = [&](const std::string& file, const AudioFolders& r) -> std::string {
    Problems p;
    return resolveAudio(r, file, "stems[0].file", p) ? "fine" : std::string(errorName(p.list.front().id));
  };
  const AudioFolders own{inside.path(), {}}, wide{inside.path(), {outside.path()}};
  CHECK(idOf("near.wav", own) == "fine");
  CHECK(idOf("./sub/../near.wav", own) == "fine");
  CHECK(idOf("link.wav", own) == "out-of-reach");
  CHECK(idOf((outside / "far.wav").string(), own) == "out-of-reach");
  CHECK(idOf("../" + outside.path().filename().string() + "/far.wav", own) == "out-of-reach");
  CHECK(idOf("gone.wav", own) == "missing-audio");
  CHECK(idOf("link.wav", wide) == "fine");
  CHECK(pathForSong(inside / "near.wav", inside.path()) == "near.wav");
  CHECK(std::filesystem::path(pathForSong(outside / "far.wav", inside.path())).is_absolute());
}

TEST_CASE("the journal gives back the song it was given", "[song]") {
  TempFolder dir;
  Song s;
  s.title = "Überfahrt \"quoted\"";
  std::string why;
  const auto file = journalFor(dir.path(), "/somewhere/song.ivrin");
  CHECK(file != journalFor(dir.path(), "/elsewhere/song.ivrin"));
  REQUIRE(writeJournal(file, {"/somewhere/song.ivrin", "base text", writeSong(s, allKinds().registry())}, why));
  Problems p;
  const auto j = readJournal(file, p);
  REQUIRE(j);
  CHECK(j->base == "base text");
  CHECK(readSong(j->song, allKinds().registry(), p)->title == s.title);
  std::ofstream(file) << "{\"format\": \"ivrin-journal\", ";
  CHECK_FALSE(readJournal(file, p));
  CHECK(p.hasErrors());
  Problems none;
  CHECK_FALSE(readJournal(dir / "nothing", none));
  CHECK_FALSE(none.hasErrors());
}
