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
  CHECK(allow.text().contains("allow that folder"));
  setGain(rig, -3);
  rig.window->setAsksBeforeClosing(true);
  allow.click();
  rig.settle();
  CHECK(gain(rig) == -3);
  CHECK(rig.session->history().canUndo());
  CHECK(rig.session->history().changedSinceSave());
  CHECK(rig.session->audio().of("drums"));
  CHECK(rig.session->stems().problem("drums").isEmpty());
  rig.window->setAsksBeforeClosing(false);
}

TEST_CASE("a song that another window has is opened read only once the edits of this one are dealt with", "[gate]") {
  const TempFolder dir;
  const fs::path other = otherSong(dir);
  Rig holds;
  holds.open(other);
  SmallSongRig rig;
  rig.window->setAsksBeforeClosing(true);
  rig.window->openSong(other);
  rig.settle();
  QAbstractButton& readOnly = offer(rig);
  CHECK(readOnly.text().contains("open read only"));
  setGain(rig, -3);
  int asked = 0;
  answer(QMessageBox::Cancel, asked);
  readOnly.click();
  rig.settle();
  CHECK(asked == 1);
  CHECK(rig.session->song().title == "Small");
  CHECK(gain(rig) == -3);
  rig.window->setAsksBeforeClosing(false);
}

TEST_CASE("edits that are made while another song opens are asked about before it takes their place", "[gate]") {
  const TempFolder dir;
  const fs::path other = otherSong(dir);
  SmallSongRig rig;
  rig.window->setAsksBeforeClosing(true);
  int asked = 0;
  for (const auto with : {QMessageBox::Cancel, QMessageBox::Discard}) {
    rig.window->openSong(other);
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
  rig.window->setAsksBeforeClosing(false);
}

TEST_CASE("what is offered in place of the last step takes back that step and no other", "[gate]") {
  const TempFolder dir;
  for (const char* name : {"one.wav", "two.wav"}) writeWav(dir / name, 48000, 2, 48000, sine(220, 48000, 0.2));
  for (const bool edited : {true, false}) {
    SmallSongRig rig;
    dropFiles(rig, {dir / "one.wav", dir / "two.wav"});
    REQUIRE(rig.session->song().stems.size() == 5);
    QAbstractButton& instead = offer(rig);
    CHECK(instead.text().contains("a new song of them instead"));
    if (edited) setGain(rig, -3);
    instead.click();
    rig.settle();
    if (edited) {
      CHECK(rig.session->song().stems.size() == 5);
      CHECK(gain(rig) == -3);
      CHECK(rig.window->measure().said().contains("edited since"));
    } else {
      CHECK(rig.session->song().stems.size() == 2);
    }
  }
}
