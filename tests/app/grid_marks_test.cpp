// Bar 1, tempo and meter by hand in the ruler.
#include "app/dialogs/tempo_dialog.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QDialogButtonBox>
#include <QInputDialog>

#include <cmath>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

QPoint markOf(Rig& rig, GridMark::Kind kind, double beat) {
  for (const GridMark& m : gridMarks(rig.session->song(), rig.score().axis(), rig.score().width()))
    if (m.kind == kind && m.at == Beats::ofQuarters(beat)) return m.box.center().toPoint();
  FAIL("no mark at " << beat);
  return {};
}
void dragMark(Rig& rig, GridMark::Kind kind, double from, double to, Qt::KeyboardModifiers m = {}) {
  const QPoint at = markOf(rig, kind, from);
  const int x = static_cast<int>(std::lround(rig.score().axis().xOf(Beats::ofQuarters(to))));
  rig.drag(&rig.score(), at, QPoint(x, at.y()), m);
  rig.settle();
}
void acceptTempo(double bpm, bool corrects) {
  whenUp<TempoDialog>([bpm, corrects](TempoDialog* d) {
    d->findChild<QDoubleSpinBox*>(QStringLiteral("tempo-bpm"))->setValue(bpm);
    if (!corrects) d->findChild<QRadioButton*>(QStringLiteral("tempo-changes"))->setChecked(true);
    QTest::mouseClick(d->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok), Qt::LeftButton);
  });
}

} // namespace

TEST_CASE("a change of tempo is added, dragged, typed and removed, ornaments on their beats or on the sound",
          "[app][grid]") {
  SmallSongRig rig;
  const std::string id = rig.place("gap", "drums", 40, 42);
  const Beats start = rig.ornament(id).start;
  rig.score().showRange(0, 60, false);
  rig.settleView();
  rig.score().setFocus();
  rig.score().caret().put(Beats::ofQuarters(16));
  acceptTempo(100, false);
  rig.window->action("tempoHere")->trigger();
  const auto& tempo = [&]() -> const std::vector<TempoEntry>& { return rig.session->song().tempo; };
  REQUIRE(tempo().size() == 2);
  CHECK(tempo()[1] == TempoEntry{Beats::ofQuarters(16), 100});
  CHECK(rig.ornament(id).start == start);
  // Dragged to bar 7: on its beats; on the sound, if that is wanted instead.
  dragMark(rig, GridMark::Kind::tempo, 16, 24);
  CHECK(tempo()[1].at == Beats::ofQuarters(24));
  CHECK(rig.ornament(id).start == start);
  CHECK(rig.window->measure().said().endsWith("1 ornament kept its beats"));
  const double was = rig.session->song().tempoMap().secondsAt(start).value;
  rig.session->undo();
  const double before = rig.session->song().tempoMap().secondsAt(start).value;
  CHECK(was != Approx(before).margin(0.01));
  dragMark(rig, GridMark::Kind::tempo, 16, 24);
  auto* offer = rig.window->measure().findChild<QAbstractButton*>(QStringLiteral("offer"));
  if (!offer)
    for (QAbstractButton* b : rig.window->measure().findChildren<QAbstractButton*>())
      if (b->text() == QLatin1String("Keep them with the audio")) offer = b;
  REQUIRE(offer);
  QTest::mouseClick(offer, Qt::LeftButton);
  CHECK(tempo()[1].at == Beats::ofQuarters(24));
  CHECK(rig.session->song().tempoMap().secondsAt(rig.ornament(id).start).value == Approx(before).margin(0.001));
  CHECK(rig.window->measure().said().endsWith("1 ornament stayed with the audio"));
  // Typed.
  acceptTempo(90, false);
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, markOf(rig, GridMark::Kind::tempo, 24));
  CHECK(tempo()[1].bpm == 90);
  CHECK(rig.score().explained(markOf(rig, GridMark::Kind::tempo, 24)).startsWith("♩ = 90 from here on"));
}

TEST_CASE("bar 1 is dragged onto the first beat; ornaments stay on the sound", "[app][grid]") {
  SmallSongRig rig; // drums strike on every beat
  const std::string id = rig.place("gap", "drums", 40, 42);
  const double at = rig.session->song().tempoMap().secondsAt(rig.ornament(id).start).value;
  rig.score().showRange(-2, 10, false);
  rig.settleView();
  while (rig.score().caret().row() != "drums") rig.score().caret().move(1, 0, false);
  dragMark(rig, GridMark::Kind::barOne, 0, 1.04); // near an attack: onto it
  CHECK(rig.session->song().startSeconds == Approx(0.5).margin(0.003));
  CHECK(rig.session->song().tempoMap().secondsAt(rig.ornament(id).start).value == Approx(at).margin(1e-4));
  rig.session->undo();
  dragMark(rig, GridMark::Kind::barOne, 0, 1.3, Qt::ShiftModifier); // anywhere
  CHECK(rig.session->song().startSeconds == Approx(0.65).margin(0.01));
}

TEST_CASE("a meter is changed at a bar, dragged by bars, and what is no meter is said", "[app][grid]") {
  SmallSongRig rig;
  rig.score().showRange(0, 60, false);
  rig.settleView();
  rig.score().caret().put(Beats::ofQuarters(18));
  const auto answer = [](const QString& text) {
    whenUp<QInputDialog>([text](QInputDialog* d) {
      d->setTextValue(text);
      d->accept();
    });
  };
  answer("3/4");
  rig.window->action("meterHere")->trigger();
  REQUIRE(rig.session->song().meter.size() == 2);
  CHECK(rig.session->song().meter[1] == MeterEntry{Beats::ofQuarters(16), 3, 4});
  dragMark(rig, GridMark::Kind::meter, 16, 24.4);
  CHECK(rig.session->song().meter[1] == MeterEntry{Beats::ofQuarters(24), 3, 4});
  for (const char* bad : {"0/4", "3/5", "three", "400/4", ""}) {
    answer(bad);
    rig.window->action("meterHere")->trigger();
    CHECK(rig.window->measure().said().contains("is not a time signature"));
  }
  CHECK(rig.session->song().meter.size() == 2);
}
