// What a screen reader finds: rows, ornaments and handles with names and values, which it can also change; and what is
// read out on request.
#include "app/frame/head_bar.h"
#include "app/lines/measure_line.h"
#include "rig.h"

#include <QAccessible>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

QAccessibleInterface* named(QAccessibleInterface* in, QAccessible::Role role, const QString& name) {
  for (int i = 0; in && i < in->childCount(); ++i)
    if (QAccessibleInterface* c = in->child(i); c && c->role() == role && c->text(QAccessible::Name) == name) return c;
  return nullptr;
}

QAccessibleInterface* scoreOf(Rig& rig) {
  return QAccessible::queryAccessibleInterface(&rig.score());
}

} // namespace

TEST_CASE("rows are objects with their gain as value", "[readable]") {
  SmallSongRig rig;
  QAccessibleInterface* score = scoreOf(rig);
  int rows = 0;
  for (int i = 0; i < score->childCount(); ++i) {
    QAccessibleInterface* c = score->child(i);
    REQUIRE(c);
    CHECK(score->indexOfChild(c) == i);
    CHECK(c->parent() == score);
    rows += c->role() == QAccessible::Row;
  }
  CHECK(rows == 5); // keys, the bus, voice, drums, the mix
  QAccessibleInterface* voice = named(score, QAccessible::Row, "Voice");
  REQUIRE(voice);
  CHECK(voice->isValid());
  CHECK(voice->text(QAccessible::Value) == "gain 0.0 dB");
  QRect staff = rig.score().staffOf("voice");
  CHECK(voice->rect() == QRect(rig.score().mapToGlobal(staff.topLeft()), staff.size()));
  CHECK(score->childAt(voice->rect().center().x(), voice->rect().center().y()) == voice);
  auto* value = voice->valueInterface();
  REQUIRE(value);
  value->setCurrentValue(-6.0);
  rig.settle();
  CHECK(rig.session->song().rowMix("voice").gainDb == -6);
  CHECK(value->currentValue().toDouble() == -6);
  value->setCurrentValue(40.0); // nothing is loud by surprise
  CHECK(rig.session->song().rowMix("voice").gainDb == 12);
}

TEST_CASE("ornaments are objects on their row: read, opened, moved", "[readable]") {
  SmallSongRig rig;
  const std::string id = rig.place("delay-throw", "voice", 8, 9.5);
  rig.place("gap", "drums", 14, 16);
  QAccessibleInterface* voice = named(scoreOf(rig), QAccessible::Row, "Voice");
  REQUIRE(voice);
  CHECK(voice->text(QAccessible::Description) == "1 ornament on this row");
  QAccessibleInterface* o = named(voice, QAccessible::ListItem, "delay throw");
  REQUIRE(o);
  CHECK(o->parent() == voice);
  CHECK(o->text(QAccessible::Value) == "3.1.1, over 1½ beats");
  CHECK(o->text(QAccessible::Description).contains("dB per echo"));
  CHECK(o->childCount() == 0);
  o->valueInterface()->setCurrentValue(9.0);
  rig.settle();
  CHECK(rig.ornament(id).start == Beats::ofQuarters(9));
  o->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
  rig.settle();
  CHECK(rig.score().opened().isOpen());
  CHECK(o->childCount() == static_cast<int>(rig.score().opened().handles().size()));
  rig.score().opened().close();
  rig.session->undo();
  rig.session->undo();
  rig.session->undo();
  rig.settle();
  CHECK_FALSE(o->isValid()); // it is gone; whoever holds it is told
  CHECK(o->text(QAccessible::Name).isEmpty());
}

TEST_CASE("handles of every kind are objects with words and values, and go up and down", "[readable][heavy]") {
  SmallSongRig rig;
  int moved = 0;
  for (const Kind* k : allKinds().all()) {
    INFO(k->table().id);
    const std::string id = rig.placeOpen(k->table().id.c_str(), "voice", 8, 9.5);
    QAccessibleInterface* voice = named(scoreOf(rig), QAccessible::Row, "Voice");
    REQUIRE(voice);
    REQUIRE(voice->childCount() > 0);
    QAccessibleInterface* open = voice->child(voice->childCount() - 1);
    const auto handles = rig.score().opened().handles();
    REQUIRE(open->childCount() == static_cast<int>(handles.size()));
    for (std::size_t i = 0; i < handles.size(); ++i) {
      QAccessibleInterface* h = open->child(static_cast<int>(i));
      INFO(handles[i].name.toStdString());
      REQUIRE(h);
      CHECK(h->role() == QAccessible::Slider);
      CHECK(h->parent() == open);
      CHECK_FALSE(h->text(QAccessible::Name).isEmpty());
      const Ornament before = rig.ornament(id);
      h->actionInterface()->doAction(QAccessibleActionInterface::increaseAction());
      if (rig.ornament(id) == before) h->actionInterface()->doAction(QAccessibleActionInterface::decreaseAction());
      moved += rig.ornament(id) != before;
      if (!rig.score().opened().handleRect(handles[i].name).isNull())
        CHECK(rig.score().opened().activeHandle() == handles[i].name);
      if (rig.ornament(id) != before) rig.session->undo(); // what a step does may take another handle away
      rig.settle();
    }
    rig.score().opened().close();
    rig.settle();
  }
  CHECK(moved > 40);
}

TEST_CASE("place, ornament, meters and the last message are said on request", "[readable]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.key(Qt::Key_F7);
  CHECK(rig.window->measure().said().startsWith(rig.window->head().positionText() + " on "));
  rig.key(Qt::Key_F7, Qt::ShiftModifier);
  CHECK(rig.window->measure().said().startsWith("There is no ornament at the cursor on "));
  rig.placeOpen("gap", "voice", 8, 9.5);
  rig.score().setFocus();
  rig.key(Qt::Key_F7, Qt::ShiftModifier);
  CHECK(rig.window->measure().said().startsWith("gap at 3.1.1, over 1½ beats: "));
  CHECK(rig.window->measure().said().contains(saidOf(rig.score(), last(rig).id)));
  rig.key(Qt::Key_F8);
  CHECK(rig.window->measure().said().contains(rig.window->head().meterText()));
  CHECK(rig.window->measure().said().contains("monitor 0.0 dB"));
  CHECK(rig.window->measure().accessibleDescription() == rig.window->measure().said());
  // Once it has left, it is had again.
  rig.window->measure().say("a word", false);
  rig.window->measure().say({}, false);
  rig.key(Qt::Key_F7); // what was asked for is no message
  rig.key(Qt::Key_F8, Qt::ShiftModifier);
  CHECK(rig.window->measure().said() == "a word");
}

TEST_CASE("numbers are spin boxes with their value, choices are lists", "[readable]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  const auto object = [&](const char* key) {
    return QAccessible::queryAccessibleInterface(rig.score().opened().row()->field(key));
  };
  QAccessibleInterface* feedback = object("feedback_percent");
  REQUIRE(feedback);
  CHECK(feedback->role() == QAccessible::SpinBox);
  CHECK(feedback->text(QAccessible::Name) == "feedback");
  REQUIRE(feedback->valueInterface());
  feedback->valueInterface()->setCurrentValue(33.0);
  rig.settle();
  CHECK(setting(rig.ornament(id), "feedback_percent") == 33);
  CHECK(feedback->text(QAccessible::Value) == "33 %");
  feedback->valueInterface()->setCurrentValue(900.0);
  CHECK(setting(rig.ornament(id), "feedback_percent") == 200); // its range holds for everyone
  QAccessibleInterface* pattern = object("pattern");
  CHECK(pattern->role() == QAccessible::ComboBox);
  CHECK_FALSE(pattern->text(QAccessible::Value).isEmpty());
  CHECK_FALSE(pattern->valueInterface());
}
