#include "app/faces/face.h"
#include "app/openrow/number_field.h"
#include "app/theme/palette.h"
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
  {
    Rig rig(journal.path());
    QSignalSpy recovered(&rig.session->files(), &SongFiles::recovered);
    rig.open(file);
    CHECK(recovered.count() == 1);
    CHECK(rig.session->song() == edited);
    CHECK(rig.session->history().changedSinceSave());
    CHECK(rig.session->history().canUndo()); // back to the file as saved
    rig.session->undo();
    CHECK(rig.session->song().rowMix("drums").gainDb == 0);
    rig.session->redo();
    // Saved, the journal is gone.
    REQUIRE(rig.save(file));
  }
  Rig third(journal.path());
  QSignalSpy none(&third.session->files(), &SongFiles::recovered);
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
  std::ofstream(file) << writeSong(other, allKinds().registry());
  Rig rig(journal.path());
  rig.open(file);
  CHECK(rig.session->song().title == "Changed elsewhere");
  CHECK(rig.session->song().rowMix("drums").gainDb == 0);
}

TEST_CASE("a song is never saved over its own stem, or over what is no song", "[session]") {
  SmallSongRig rig;
  std::ofstream(rig.dir / "notes.txt") << "notes";
  const auto size = std::filesystem::file_size(rig.dir / "voice.wav");
  CHECK_FALSE(rig.save(rig.dir / "voice.wav"));
  CHECK(rig.window->measure().said().contains("source of this song"));
  CHECK(std::filesystem::file_size(rig.dir / "voice.wav") == size);
  CHECK_FALSE(rig.save(rig.dir / "notes.txt"));
  CHECK(rig.window->measure().said().contains("is not a song"));
  CHECK_FALSE(rig.save(rig.dir.path()));
  CHECK(rig.session->file() == rig.dir / "song.ivrin");
  CHECK(rig.save(rig.dir / "song.ivrin"));
  // An export into the folder of the stems.
  QSignalSpy exported(&rig.session->exports(), &Exports::exported);
  std::filesystem::create_directories(rig.dir / "stems");
  std::filesystem::create_hard_link(rig.dir / "voice.wav", rig.dir / "stems" / "voice.wav");
  ExportOptions e;
  e.stems = true;
  rig.session->exports().exportTo(rig.dir.path(), e);
  rig.settle();
  REQUIRE(exported.count() == 1);
  CHECK_FALSE(exported.front()[1].toBool());
  CHECK(exported.front()[0].toString().contains("source of this song"));
  CHECK(std::filesystem::file_size(rig.dir / "voice.wav") == size);
}

TEST_CASE("a save that fails says so and loses nothing", "[session]") {
  SmallSongRig rig;
  RowMix m;
  m.gainDb = -9;
  rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
  CHECK_FALSE(rig.save(rig.dir / "no-such-folder" / "song.ivrin"));
  CHECK(rig.window->measure().said().contains("Save failed"));
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->song().rowMix("drums").gainDb == -9);
}

TEST_CASE("phrases, row peaks and the figures of the chosen ornament arrive by themselves", "[session]") {
  SmallSongRig rig;
  CHECK(rig.session->rows().phrases("voice").size() == 7);
  REQUIRE(rig.session->rows().peaks("mix"));
  CHECK(rig.session->rows().peaks("mix")->frames() == 64 * 24000);
  rig.session->placing().place("delay-throw", {"voice"}, {Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.session->waitUntilIdle();
  rig.session->choose("o1");
  rig.session->waitUntilIdle();
  REQUIRE(rig.session->rows().chosen());
  CHECK(rig.session->rows().chosen()->lufsWith > rig.session->rows().chosen()->lufsWithout);
  CHECK(rig.session->rows().chosen()->peakDbfs > -30);
  CHECK(rig.session->rows().chosen()->tailEnd > Beats::ofQuarters(10));
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
  rig.settle(); // another one is opened
  CHECK(rig.window->measure().said().contains("device"));
  // It goes on with another one, from the same place, with the click as it was set.
  CHECK(rig.session->player().position() == Frames(4800));
  rig.session->player().play(rig.session->player().position());
  CHECK(largest(rig.hear(9600)) > 0.05f);
}

TEST_CASE("saved elsewhere, undone and saved again, the song still has its stems and impulses", "[session]") {
  SmallSongRig rig;
  const TempFolder elsewhere;
  std::filesystem::copy_file(rig.dir / "drums.wav", rig.dir / "space.wav");
  Ornament o;
  o.kind = "reverb-throw";
  o.on = "voice";
  o.start = Beats::ofQuarters(8);
  o.length = Beats::ofQuarters(1);
  o.settings = {{"character", "impulse"}, {"impulse_file", (rig.dir / "space.wav").string()}};
  rig.session->edit("place", withOrnaments(rig.session->song(), {o}).song);
  rig.session->settle();
  RowMix m;
  m.gainDb = -9;
  rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
  rig.session->settle();
  REQUIRE(rig.save(elsewhere / "song.ivrin"));
  rig.session->undo(); // back over the save: a song from when it lay in another folder
  CHECK(rig.session->song().rowMix("drums").gainDb == 0);
  REQUIRE(rig.save(elsewhere / "song.ivrin"));
  Problems problems;
  const auto again = readSongFile(elsewhere / "song.ivrin", allKinds().registry(), problems);
  REQUIRE(again);
  for (const Stem& stem : again->stems) {
    INFO(*stem.file);
    CHECK(std::filesystem::exists(*stem.file)); // before it was mended: looked for in the new folder
  }
  CHECK(std::filesystem::exists(*again->ornaments[0]->settings.at("impulse_file").text()));
  // Written beside them they are named from there.
  REQUIRE(rig.save(rig.dir / "song.ivrin"));
  CHECK(fileBytes(rig.dir / "song.ivrin").find("\"file\": \"voice.wav\"") != std::string::npos);
  CHECK(fileBytes(rig.dir / "song.ivrin").find("\"impulse_file\": \"space.wav\"") != std::string::npos);
}

TEST_CASE("what was being computed for one song never lands in the next", "[session]") {
  SmallSongRig rig;
  const TempFolder other;
  const auto second = writeSmallSong(other);
  const BeatRange word{Beats::ofQuarters(8), Beats::ofQuarters(9.5)};
  rig.session->placing().place("reverse-reverb", {"voice", "drums"}, word);
  rig.session->files().open(second); // both are under way
  rig.session->waitUntilIdle();
  CHECK(rig.session->file() == second);
  CHECK(rig.session->song().ornaments.empty());
  // Of two files asked for one after the other the later one is open.
  rig.session->files().begin({rig.dir / "voice.wav"}, 90);
  rig.session->files().open(second);
  rig.session->waitUntilIdle();
  CHECK(rig.session->file() == second);
  CHECK(rig.session->song().tempo[0].bpm == 120);
}

TEST_CASE("after undoing everything a crash brings nothing back", "[session]") {
  const TempFolder dir, journal;
  const auto file = writeSmallSong(dir);
  {
    Rig rig(journal.path());
    rig.open(file);
    RowMix m;
    m.gainDb = -9;
    rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
    rig.session->settle();
    rig.session->undo();
  }
  Rig rig(journal.path());
  QSignalSpy recovered(&rig.session->files(), &SongFiles::recovered);
  rig.open(file);
  CHECK(recovered.count() == 0);
  CHECK(rig.session->song().rowMix("drums").gainDb == 0);
}

TEST_CASE("a device that says it runs and never asks for sound is opened once", "[session]") {
  SmallSongRig rig;
  const std::size_t opened = rig.devices->opened.size();
  rig.out().disappear(); // lost before it ever asked
  for (int i = 0; i < 5; ++i) rig.window->tick();
  rig.settle();
  CHECK(rig.devices->opened.size() == opened); // before it was mended: again every 1.5 s
  CHECK(rig.session->output()->simulated());
  CHECK(rig.window->measure().said().contains("running silently"));
}

TEST_CASE("without a device the head says so in warning colour; one that comes back is used again", "[session]") {
  SmallSongRig rig;
  rig.session->player().play(Frames(0));
  rig.out().step(4800);
  rig.window->tick();
  CHECK(rig.window->head().meterText() != "no sound");
  rig.devices->there = false;
  rig.out().disappear();
  rig.window->tick();
  CHECK(rig.window->head().meterText() == "no sound"); // at once, while another is looked for
  rig.settle();
  CHECK(rig.window->measure().said().startsWith("No sound: "));
  CHECK(rig.window->head().meterText() == "no sound");
  const QImage head = rig.window->head().grab().toImage();
  CHECK(pixelsNear(head, head.rect(), paper().warning) > 20);
  rig.session->outputs().lookForDevice();
  rig.settle();
  CHECK(rig.window->head().meterText() == "no sound");
  rig.devices->there = true;
  rig.session->outputs().lookForDevice(); // a timer does so once a second
  rig.settle();
  CHECK(rig.window->measure().said().startsWith("Playing through "));
  CHECK(rig.window->head().meterText() != "no sound");
  rig.session->player().play(Frames(0));
  CHECK(largest(rig.hear(48000)) > 0.01f);
}

TEST_CASE("every kind has its face, in the order of the kinds", "[session][kinds]") {
  REQUIRE(allFaces().size() == allKinds().all().size());
  for (std::size_t i = 0; i < allFaces().size(); ++i) {
    const Face& face = *allFaces()[i];
    CHECK(face.kind() == allKinds().all()[i]->table().id);
    CHECK(faceOf(face.kind()) == &face);
    CHECK(face.drawing() != nullptr);
    for (const OwnAction& a : face.actions()) {
      INFO(a.id.toStdString());
      CHECK(allKinds().all()[i]->table().find(a.setting));
      CHECK(a.steps != 0);
      CHECK_FALSE(face.actionsMenu().isEmpty());
    }
  }
}

TEST_CASE("a setting that is not heard as the others stand is drawn quiet and says so", "[session]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("tape", "voice", 12, 13);
  NumberField* bottom = nullptr;
  for (NumberField* f : rig.window->findChildren<NumberField*>())
    if (f->spec().key == "bottom_at") bottom = f;
  REQUIRE(bottom);
  CHECK(bottom->accessibleDescription().contains("no effect"));
  rig.session->edit("shape", withSetting(rig.session->song(), id, "shape", "dip"));
  CHECK_FALSE(bottom->accessibleDescription().contains("no effect"));
}

TEST_CASE("saved into another folder, a song keeps the stems that it had, and opens there with them", "[session]") {
  SmallSongRig rig;
  const TempFolder elsewhere;
  QStringList allowed;
  QObject::connect(&rig.session->files(), &SongFiles::folderAllowed, [&](const QString& f) { allowed << f; });
  REQUIRE(rig.save(rig.dir / "song.ivrin"));
  CHECK(allowed.isEmpty()); // beside its stems nothing needs to be allowed
  REQUIRE(rig.save(elsewhere / "moved.ivrin"));
  REQUIRE(allowed.size() == 1);
  CHECK(std::filesystem::path(allowed[0].toStdString()) == rig.dir.path());
  rig.open(elsewhere / "moved.ivrin");
  CHECK(rig.session->stems().missing().empty());
  CHECK(rig.session->song().stems.size() == 3);
}
