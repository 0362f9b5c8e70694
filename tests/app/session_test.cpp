#include "rig.h"

#include <catch2/catch.hpp>

#include <QSignalSpy>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

TEST_CASE("after a crash the song opens as it was at the last edit", "[session]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  Song edited;
  {
    Rig rig(journal.path());
    rig.open(file);
    for (int i = 0; i < 5; ++i) {
      RowMix m;
      m.gainDb = -i - 1;
      rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
      rig.session->settle();
    }
    edited = rig.session->song();
  } // never saved; the journal's writer ends with its last wish written
  Rig rig(journal.path());
  QSignalSpy recovered(rig.session.get(), &Session::recovered);
  rig.open(file);
  CHECK(recovered.count() == 1);
  CHECK(rig.session->song() == edited);
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->history().canUndo()); // back to the file as saved
  rig.session->undo();
  CHECK(rig.session->song().rowMix("drums").gainDb == 0);
  rig.session->redo();
  // Saved, the journal is gone.
  REQUIRE(rig.session->save(file));
  Rig third(journal.path());
  QSignalSpy none(third.session.get(), &Session::recovered);
  third.open(file);
  CHECK(none.count() == 0);
  CHECK(third.session->song() == edited);
}

TEST_CASE("a journal that belongs to other contents of the file is not mixed in", "[session]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  {
    Rig rig(journal.path());
    rig.open(file);
    RowMix m;
    m.gainDb = -9;
    rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
  }
  // Somebody else wrote the file meanwhile.
  Problems p;
  Song other = *readSongFile(file, allKinds().registry(), p);
  other.title = "Changed elsewhere";
  std::ofstream(file) << writeSong(other);
  Rig rig(journal.path());
  rig.open(file);
  CHECK(rig.session->song().title == "Changed elsewhere");
  CHECK(rig.session->song().rowMix("drums").gainDb == 0);
}

TEST_CASE("a save that fails says so and loses nothing", "[session]") {
  SmallSongRig rig;
  RowMix m;
  m.gainDb = -9;
  rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
  CHECK_FALSE(rig.session->save(rig.dir / "no-such-folder" / "song.ivrin"));
  CHECK(rig.window->measure().said().contains("not saved"));
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->song().rowMix("drums").gainDb == -9);
}

TEST_CASE("phrases, row peaks and the figures of the chosen ornament arrive by themselves", "[session]") {
  SmallSongRig rig;
  CHECK(rig.session->phrases("voice").size() == 7);
  REQUIRE(rig.session->rowPeaks("mix"));
  CHECK(rig.session->rowPeaks("mix")->frames() == 64 * 24000);
  rig.session->place("delay-throw", {"voice"}, {Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.session->waitUntilIdle();
  rig.session->choose("o1");
  rig.session->waitUntilIdle();
  REQUIRE(rig.session->facts());
  CHECK(rig.session->facts()->lufsWith > rig.session->facts()->lufsWithout);
  CHECK(rig.session->facts()->peakDbfs > -30);
  CHECK(rig.session->facts()->tailEnd > Beats::ofQuarters(10));
  CHECK(rig.window->measure().figures().contains("LUFS"));
}

TEST_CASE("opening another song while one plays stops it and starts fresh", "[session]") {
  const TempFolder dir;
  Rig rig;
  const auto file = writeSmallSong(dir);
  rig.open(file);
  rig.session->player().play(Frames(0));
  rig.hear(9600);
  rig.session->edit("name", [&] {
    Song s = rig.session->song();
    s.title = "x";
    return s;
  }());
  rig.open(file);
  CHECK_FALSE(rig.session->player().playing());
  CHECK_FALSE(rig.session->history().canUndo());
  CHECK(rig.session->song().title == "Small");
  rig.session->player().play(Frames(48000 * 4));
  CHECK(largest(rig.hear(9600)) > 0.05f);
}

TEST_CASE("a device that disappears stops playing and is said", "[session]") {
  SmallSongRig rig;
  rig.session->player().play(Frames(0));
  rig.hear(4800);
  rig.out().disappear();
  static_cast<void>(QTest::qWaitFor([&] { return !rig.session->player().playing(); }, 5000));
  CHECK_FALSE(rig.session->player().playing());
  CHECK(rig.window->measure().said().contains("device"));
  // It goes on with another one, from the same place, with the click as it was set.
  CHECK(rig.session->player().position() == Frames(4800));
  rig.session->player().play(rig.session->player().position());
  CHECK(largest(rig.hear(9600)) > 0.05f);
}
