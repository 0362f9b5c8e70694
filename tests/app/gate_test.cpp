// Another song takes the place of the one that is open only through one gate, which asks; what the measure line offers
// acts on the state that it was said of, or says why not.
#include "bare_stems.h"
#include "rig.h"
#include "song/edits.h"

#include <QMessageBox>

#include <fstream>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;
namespace fs = std::filesystem;

namespace {

void setGain(Rig& rig, double db) {
  RowMix m;
  m.gainDb = db;
  rig.session->edit("gain", withRowMix(rig.session->song(), "drums", m));
}

double gain(const Rig& rig) {
  return rig.session->song().rowMix("drums").gainDb;
}

QAbstractButton& offer(Rig& rig) {
  auto* b = rig.window->measure().findChild<QAbstractButton*>(QStringLiteral("offer"));
  REQUIRE(b);
  REQUIRE_FALSE(b->isHidden());
  return *b;
}

/// The question that comes next gets this answer.
void answer(QMessageBox::StandardButton with, int& asked) {
  whenUp<QMessageBox>([with, &asked](QMessageBox* box) {
    ++asked;
    box->button(with)->click();
  });
}

/// A second song, elsewhere.
fs::path otherSong(const TempFolder& dir) {
  const fs::path file = writeSmallSong(dir);
  Problems p;
  Song song = *readSongFile(file, allKinds().registry(), p);
  song.title = "Other";
  std::ofstream(file) << writeSong(song, allKinds().registry());
  return file;
}

} // namespace

TEST_CASE("a folder that is allowed brings its sound in; edits and what can be undone stay", "[gate]") {
  const TempFolder dir, away;
  const fs::path file = writeSmallSong(dir);
  fs::rename(dir / "drums.wav", away / "drums.wav");
  Problems p;
  Song song = *readSongFile(file, allKinds().registry(), p);
  for (Stem& s : song.stems)
    if (s.id == "drums") s.file = (away / "drums.wav").string();
  std::ofstream(file) << writeSong(song, allKinds().registry());
  Rig rig;
  rig.open(file);
  CHECK_FALSE(rig.session->audio().of("drums"));
  QAbstractButton& allow = offer(rig);
  CHECK(allow.text().contains("Allow folder"));
  setGain(rig, -3);
  rig.window->files().setAsks(true);
  allow.click();
  rig.settle();
  CHECK(gain(rig) == -3);
  CHECK(rig.session->history().canUndo());
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->audio().of("drums"));
  CHECK(rig.session->stems().problem("drums").isEmpty());
  rig.window->files().setAsks(false);
}

TEST_CASE("a song that another window has is opened read only once the edits of this one are dealt with", "[gate]") {
  const TempFolder dir;
  const fs::path other = otherSong(dir);
  Rig holds;
  holds.open(other);
  SmallSongRig rig;
  rig.window->files().setAsks(true);
  rig.window->files().openSong(other);
  rig.settle();
  QAbstractButton& readOnly = offer(rig);
  CHECK(readOnly.text().contains("Open read only"));
  setGain(rig, -3);
  int asked = 0;
  answer(QMessageBox::Cancel, asked);
  readOnly.click();
  rig.settle();
  CHECK(asked == 1);
  CHECK(rig.session->song().title == "Small");
  CHECK(gain(rig) == -3);
  rig.window->files().setAsks(false);
}

TEST_CASE("edits that are made while another song opens are asked about before it takes their place", "[gate]") {
  const TempFolder dir;
  const fs::path other = otherSong(dir);
  SmallSongRig rig;
  rig.window->files().setAsks(true);
  int asked = 0;
  for (const auto with : {QMessageBox::Cancel, QMessageBox::Discard}) {
    rig.window->files().openSong(other);
    setGain(rig, gain(rig) - 3);
    const double edited = gain(rig);
    answer(with, asked);
    rig.settle();
    QApplication::processEvents();
    rig.settle();
    if (with == QMessageBox::Cancel) {
      CHECK(asked == 1);
      CHECK(rig.session->song().title == "Small");
      CHECK(gain(rig) == edited);
      rig.session->files().forgetEdits();
      while (rig.session->history().canUndo()) rig.session->undo();
    }
  }
  CHECK(asked == 2);
  CHECK(rig.session->song().title == "Other");
  rig.window->files().setAsks(false);
}

TEST_CASE("what is offered in place of the last step takes back that step and no other", "[gate]") {
  const TempFolder dir;
  for (const char* name : {"one.wav", "two.wav"}) writeWav(dir / name, 48000, 2, 48000, sine(220, 48000, 0.2));
  for (const bool edited : {true, false}) {
    SmallSongRig rig;
    dropFiles(rig, {dir / "one.wav", dir / "two.wav"});
    REQUIRE(rig.session->song().stems.size() == 5);
    QAbstractButton& instead = offer(rig);
    CHECK(instead.text().contains("New song instead"));
    if (edited) setGain(rig, -3);
    instead.click();
    rig.settle();
    if (edited) {
      CHECK(rig.session->song().stems.size() == 5);
      CHECK(gain(rig) == -3);
      CHECK(rig.window->measure().said().contains("edited after this step"));
    } else {
      CHECK(rig.session->song().stems.size() == 2);
    }
  }
}

TEST_CASE("a song is saved while edits go on: the file holds the state of the save, later edits stay unsaved and kept",
          "[gate]") {
  const TempFolder dir, journals;
  Rig rig(journals.path());
  rig.open(writeSmallSong(dir));
  const fs::path file = dir / "song.ivrin";
  setGain(rig, -3);
  int saved = 0;
  rig.session->files().save(file, [&](bool ok) { saved += ok; });
  setGain(rig, -6); // nothing of the save was delivered yet
  CHECK(rig.session->files().saving());
  rig.session->waitUntilIdle();
  CHECK(saved == 1);
  CHECK_FALSE(rig.session->files().saving());
  Problems p;
  CHECK(readSongFile(file, allKinds().registry(), p)->rowMix("drums").gainDb == -3);
  CHECK(gain(rig) == -6);
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->history().editsSinceSave() == 1);
  // The later edit is what a crash would leave.
  rig.session->waitForJournal();
  Problems told;
  std::vector<LeftJournal> kept;
  for (const auto& e : fs::directory_iterator(journals.path()))
    if (e.path().extension() == ".json") kept.push_back({e.path(), {}, *readJournal(e.path(), told)});
  REQUIRE(kept.size() == 1);
  CHECK(kept.front().journal.edits == 1);
  CHECK(kept.front().journal.base == fileBytes(file));
  // Two saves one after the other: the second has the rest, and nothing is left to keep.
  rig.session->files().save(file, [&](bool ok) { saved += ok; });
  rig.session->files().save(file, [&](bool ok) { saved += ok; });
  rig.session->waitUntilIdle();
  rig.session->waitForJournal();
  CHECK(saved == 3);
  CHECK_FALSE(rig.session->history().changedSinceSave());
  CHECK(std::none_of(fs::directory_iterator(journals.path()), {},
                     [](const auto& e) { return e.path().extension() == ".json"; }));
}

TEST_CASE("a window that is closed with unsaved changes closes once they are saved, and stays where they cannot be",
          "[gate]") {
  const TempFolder dir;
  SmallSongRig rig;
  rig.window->files().setAsks(true);
  setGain(rig, -3);
  int asked = 0;
  answer(QMessageBox::Cancel, asked);
  CHECK_FALSE(rig.window->close());
  rig.settle();
  CHECK(rig.window->isVisible());
  answer(QMessageBox::Save, asked);
  CHECK_FALSE(rig.window->close()); // not yet
  rig.settle();
  CHECK(asked == 2);
  CHECK_FALSE(rig.window->isVisible());
  CHECK_FALSE(rig.session->history().changedSinceSave());
  rig.window->files().setAsks(false);
}
