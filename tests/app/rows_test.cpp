// Rows added, named, ordered, put on buses and removed, in the window.
#include "bare_stems.h"

#include "app/dialogs/bus_dialog.h"

#include <catch2/catch.hpp>

#include <QComboBox>
#include <QInputDialog>
#include <QMessageBox>
#include <QPushButton>

#include <filesystem>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

using Rows = std::vector<std::string>;

Rows rowsOf(Rig& rig) {
  return rig.session->song().rowsInScoreOrder();
}
QWidget* head(Rig& rig, const char* row) {
  for (QWidget* w : rig.score().findChildren<QWidget*>(QStringLiteral("row-") + QString::fromLatin1(row)))
    if (w->isVisible()) return w; // those of former orders go when the events are through
  FAIL("no head of " << row);
  return nullptr;
}
/// By its name, to a height of another row: 0 its top, 1 its foot.
void dragRow(Rig& rig, const char* row, const char* to, double part) {
  QWidget* from = head(rig, row);
  QWidget* onto = head(rig, to);
  const int y = onto->mapTo(&rig.score(), QPoint(0, static_cast<int>(onto->height() * part))).y();
  rig.drag(from, QPoint(20, 8), from->mapFrom(&rig.score(), QPoint(20, y)));
  rig.settle();
}
void answer(const QString& text) {
  whenUp<QInputDialog>([text](QInputDialog* d) {
    d->setTextValue(text);
    d->accept();
  });
}
} // namespace

TEST_CASE("rows are dragged to their places and onto buses, an undo step each", "[app][rows]") {
  SmallSongRig rig;
  REQUIRE(rowsOf(rig) == Rows{"voice", "keys", "music", "drums", "mix"});
  const double left = rig.score().axis().left;
  dragRow(rig, "drums", "voice", 0.2);
  CHECK(rowsOf(rig) == Rows{"drums", "voice", "keys", "music", "mix"});
  CHECK(rig.score().axis().left == left); // the view stays
  CHECK(rig.score().caret().row() == "drums");
  rig.session->undo();
  rig.settle();
  CHECK(rowsOf(rig) == Rows{"voice", "keys", "music", "drums", "mix"});
  dragRow(rig, "drums", "music", 0.5);
  CHECK(rig.session->song().stem("drums")->bus == "music");
  CHECK(rowsOf(rig) == Rows{"voice", "keys", "drums", "music", "mix"});
  CHECK(rig.session->history().undoLabel() == "Drums on Music");
  dragRow(rig, "voice", "mix", 0.8);
  CHECK(rowsOf(rig) == Rows{"keys", "drums", "music", "voice", "mix"});
  // A click is no drag.
  const std::string label = rig.session->history().undoLabel();
  QTest::mouseClick(head(rig, "keys"), Qt::LeftButton, {}, QPoint(20, 8));
  CHECK(rig.session->history().undoLabel() == label);
  CHECK(rig.score().caret().row() == "keys"); // it is the caret's row
}

TEST_CASE("rows are named, given roles, moved and removed by the menu", "[app][rows]") {
  SmallSongRig rig;
  rig.score().caret().move(0, 0, false);
  REQUIRE(rig.score().caret().row() == "voice");
  answer("Lead");
  rig.window->action("rowName")->trigger();
  CHECK(rig.session->song().stem("voice")->name == "Lead");
  answer("voice");
  rig.window->action("rowRole")->trigger();
  CHECK(rig.session->song().stem("voice")->role == RowRole::voice);
  answer("Music");
  rig.window->action("rowBus")->trigger();
  CHECK(rig.session->song().stem("voice")->bus == "music");
  answer("none (to the mix)");
  rig.window->action("rowBus")->trigger();
  CHECK_FALSE(rig.session->song().stem("voice")->bus);
  whenUp<BusDialog>([](BusDialog* d) {
    CHECK(d->rows() == std::vector<std::string>{"voice"}); // the caret's
    CHECK(d->findChild<QCheckBox*>("bus-row-keys")->text() == "Keys (now on Music)");
    d->findChild<QLineEdit*>("bus-name")->setText("Extra");
    d->accept();
  });
  rig.window->action("newBus")->trigger();
  CHECK(rig.session->song().stem("keys")->bus == "music"); // never taken from another bus unasked
  CHECK(rig.session->song().stem("voice")->bus == "extra");
  rig.window->action("rowDown")->trigger();
  CHECK(rowsOf(rig).back() == "mix");
  const Rows before = rowsOf(rig);
  rig.window->action("rowUp")->trigger();
  CHECK(rowsOf(rig) != before);
  answer("Riser");
  rig.window->action("emptyRow")->trigger();
  REQUIRE(rig.session->song().stem("riser"));
  CHECK_FALSE(rig.session->song().stem("riser")->file);
  rig.settle();

  const std::string id = rig.place("gap", "drums", 8, 10);
  while (rig.score().caret().row() != "drums") rig.score().caret().move(1, 0, false);
  for (const auto answer : {QMessageBox::Cancel, QMessageBox::Yes}) {
    whenUp<QMessageBox>([answer](QMessageBox* box) {
      CHECK(box->text() == "These ornaments are removed with it: gap at bar 3");
      box->button(answer)->click();
    });
    rig.window->action("removeRow")->trigger();
    CHECK(rig.session->song().hasRow("drums") == (answer == QMessageBox::Cancel));
  }
  CHECK_FALSE(rig.session->song().ornament(id));
  CHECK(rig.window->measure().said() == "Removed Drums with 1 ornament");
  rig.session->undo();
  CHECK(rig.session->song().ornament(id));
  rig.settle();
  while (rig.score().caret().row() != "mix") rig.score().caret().move(1, 0, false);
  rig.window->action("removeRow")->trigger();
  CHECK(rig.window->measure().said().startsWith("The mix cannot be removed"));
}

TEST_CASE("files dropped on an open song are rows of it, or a new song if that was meant", "[app][rows]") {
  SmallSongRig rig;
  const TempFolder more;
  std::filesystem::create_directories(more / "takes/deep");
  writeWav(more / "takes/Song_Bass.wav", 48000, 1, 48000, sine(80, 48000, 0.2));
  writeWav(more / "takes/deep/Song_Claps.wav", 44100, 2, 44100, noise(4, 0.2));
  dropFiles(rig, {more / "takes"}); // a folder, with what lies below it
  REQUIRE(rig.session->song().stems.size() == 5);
  CHECK(rig.window->measure().said() == "2 rows added");
  const Stem* bass = rig.session->song().stem("bass");
  REQUIRE(bass);
  CHECK(bass->name == "Bass");
  CHECK(bass->role == RowRole::bass);
  CHECK(rig.session->audio().of("bass"));
  CHECK(rig.session->audio().of("claps")->frames() == Approx(48000).margin(2)); // at the song's rate
  rig.session->undo();
  CHECK(rig.session->song().stems.size() == 3);
  // Nothing to be had.
  std::filesystem::create_directories(more / "empty");
  dropFiles(rig, {more / "empty"});
  CHECK(rig.window->measure().said() == "Import failed: no audio files were dropped. Drop WAV, FLAC or AIFF files.");
}
