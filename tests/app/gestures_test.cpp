// Every gesture does what it says.
#include "rig.h"

#include <algorithm>

namespace {

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

NumberField* field(Rig& rig, const char* key) {
  for (NumberField* f : rig.window->findChildren<NumberField*>())
    if (f->spec().key == key && f->isVisible()) return f;
  return nullptr;
}

/// A filter at the end of an open ornament, itself open.
void openFilter(Rig& rig, const std::string& id) {
  Ornament o = rig.ornament(id);
  o.finish.push_back({"filter", {}});
  rig.session->edit("add", withOrnamentReplaced(rig.session->song(), std::move(o)));
  rig.settle();
  rig.score().opened().row()->openFinish(0);
}

} // namespace

TEST_CASE("feedback turned over 100 % is cut at the next section, with a handle; turned back it is not", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.session->edit("feedback", withSetting(rig.session->song(), id, "feedback_percent", 99.0));
  rig.session->settle();
  const Song before = rig.session->song();
  const Frames end = rig.session->plan()->end(true);
  NumberField* feedback = field(rig, "feedback_percent");
  REQUIRE(feedback);
  const auto turn = [&](int steps) {
    for (int i = 0; i < std::abs(steps); ++i) turnWheel(*feedback, QPointF(4, 4), steps > 0 ? 120 : -120);
  };
  turn(3);
  CHECK(setting(rig.ornament(id), "feedback_percent") > 100);
  CHECK(setting(rig.ornament(id), "cut_at") == 4); // beat 16, where section "Two" begins
  CHECK(rig.session->plan()->end(true) <= end);
  CHECK(rig.window->measure().said().contains("cut at Two"));
  rig.settle();
  CHECK(rig.handle("cut").x() == Approx(rig.score().axis().xOf(Beats::ofQuarters(16))).margin(2));
  turn(-3);
  CHECK(rig.session->song() == before);
  turn(3);
  rig.session->settle();
  rig.session->undo();
  CHECK(rig.session->song() == before);
}

TEST_CASE("the space bar plays and stops whatever has the focus, and presses nothing", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.session->player().stop();
  openFilter(rig, id);
  rig.settle();
  const Song before = rig.session->song();
  int tried = 0;
  for (QWidget* w : rig.window->findChildren<QWidget*>()) {
    if (!w->isVisible() || !w->isEnabled() || w->focusPolicy() == Qt::NoFocus || w->window() != rig.window.get())
      continue;
    if (w->inherits("QMenuBar") || w->inherits("QLineEdit")) continue;
    w->setFocus();
    if (!w->hasFocus()) continue;
    ++tried;
    INFO(w->metaObject()->className() << " " << w->accessibleName().toStdString());
    const bool playing = rig.session->player().playing();
    QTest::keyClick(w, Qt::Key_Space);
    CHECK(rig.session->player().playing() != playing);
    CHECK(rig.session->song() == before);
    CHECK(rig.score().opened().isOpen());
  }
  CHECK(tried > 20);
}

TEST_CASE("Esc cancels one level: the typed value, the curve, the processor, the row, the selection", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  openFilter(rig, id);
  rig.settle();
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().opened().openCurve("send_percent", -1);
  rig.settle();
  const Song before = rig.session->song();
  const auto fields = rig.window->findChildren<NumberField*>();
  const auto number = std::find_if(fields.begin(), fields.end(), [](NumberField* f) { return f->isVisible(); });
  REQUIRE(number != fields.end());
  (*number)->setFocus();
  QTest::keyClick(*number, Qt::Key_9);
  const auto levels = [&] {
    QString open;
    if (QApplication::focusWidget() && QApplication::focusWidget()->inherits("QLineEdit")) open += "typed ";
    if (rig.score().opened().lane()) open += "curve ";
    if (rig.score().opened().row() && rig.score().opened().isOpen() &&
        rig.score().opened().row()->finish().opened() >= 0)
      open += "processor ";
    if (rig.score().opened().isOpen()) open += "row ";
    if (rig.score().selection()) open += "selection";
    return open.trimmed().toStdString();
  };
  CHECK(levels() == "typed curve processor row selection");
  for (const char* left :
       {"curve processor row selection", "processor row selection", "row selection", "selection", ""}) {
    rig.key(Qt::Key_Escape);
    CHECK(levels() == left);
  }
  CHECK(rig.session->song() == before);
}

TEST_CASE("a row that is closed leaves playing as it was before it was opened", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  Player& player = rig.session->player();
  QAction* loop = rig.window->action("loop");
  const bool looped = loop->isChecked();
  // Nothing played: what was heard of it ends.
  rig.score().opened().open(id);
  rig.window->action("audition")->trigger();
  CHECK(player.playing());
  CHECK(loop->isChecked());
  rig.score().opened().close();
  CHECK_FALSE(player.playing());
  CHECK(loop->isChecked() == looped);
  // The song played: it plays on, without the loop that was laid about the ornament.
  loop->setChecked(false);
  rig.window->listening().renewLoop();
  player.play(Frames(0));
  rig.score().opened().open(id);
  rig.window->action("audition")->trigger();
  rig.hear(4800);
  rig.score().opened().close();
  CHECK(player.playing());
  CHECK_FALSE(loop->isChecked());
  const Frames end = rig.session->plan()->map().frameAt(Beats::ofQuarters(30)); // behind the loop
  rig.hear((end - player.position()).count + 4800);
  CHECK(player.position() > end);
}

TEST_CASE("four tries leave alone what was typed", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  NumberField* feedback = field(rig, "feedback_percent");
  REQUIRE(feedback);
  rig.type(feedback, "61");
  REQUIRE(setting(rig.ornament(id), "feedback_percent") == 61);
  const Settings typed = rig.ornament(id).settings;
  for (int round = 0; round < 4; ++round) {
    rig.window->action("fourTries")->trigger();
    for (int k = 0; k < kTries; ++k) {
      rig.score().opened().tries().hear(k);
      CHECK(setting(rig.ornament(id), "feedback_percent") == 61);
      CHECK_FALSE(rig.ornament(id).settings == typed);
    }
  }
}

TEST_CASE("the wet level of what is matched is heard, and the row says both", "[gestures]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 12, 13);
  const auto loudest = [&] {
    rig.settle();
    const auto node = rig.session->plan()->node(id);
    node->print->ensure(*rig.session->plan(), *node);
    return Decibels::ofGain(static_cast<double>(node->print->peak())).value;
  };
  const double whole = loudest();
  rig.session->edit("wet", withSetting(rig.session->song(), id, "wet_db", -18.0));
  CHECK(loudest() == Approx(whole - 18).margin(0.01)); // was −1
  rig.score().opened().row()->openFinish(0);
  CHECK(rig.score().opened().row()->finishPanel().matchWords(-1).toStdString() == "match −1.0 LU, then −18.0 dB");
}
