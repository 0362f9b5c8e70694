// Every press keeps its word: what a hand does is done as it was said, or it is told why not.
#include "app/actions/keys_page.h"
#include "manners/manners.h"
#include "rig.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

NumberField* field(Rig& rig, const char* key) {
  auto* f = rig.score().opened().row()->field(key);
  REQUIRE(f);
  return f;
}

} // namespace

TEST_CASE("a number takes what can belong to a value, and no letter there is an action", "[promises]") {
  SmallSongRig rig;
  rig.placeOpen("delay-throw", "voice", 8, 9.5);
  const Song before = rig.session->song();
  field(rig, "feedback_percent")->setFocus();
  // Every letter, every sign: no ornament comes or goes, nothing plays, nothing closes.
  for (char c = '!'; c <= '~'; ++c) {
    if ((c >= '0' && c <= '9') || QStringLiteral("-+.,").contains(c)) continue; // a number begins
    INFO(c);
    QWidget* now = QApplication::focusWidget();
    REQUIRE(qobject_cast<NumberField*>(now));
    if ((c == 'c' || c == 'C') && static_cast<NumberField*>(now)->spec().curve) continue; // its curve
    QTest::keyClick(now, c);
    CHECK(rig.session->song() == before);
    CHECK(rig.score().opened().isOpen());
    CHECK_FALSE(rig.session->player().playing());
  }
  // A letter that begins no name says so.
  field(rig, "feedback_percent")->setFocus();
  QTest::keyClick(QApplication::focusWidget(), 'q');
  CHECK(rig.window->measure().said().contains(QStringLiteral("“q”")));
  // One that does goes there.
  QTest::keyClick(QApplication::focusWidget(), 'd');
  auto* there = qobject_cast<NumberField*>(QApplication::focusWidget());
  REQUIRE(there);
  CHECK(there->spec().label.front() == 'd');
  // Words where words are allowed.
  rig.type(field(rig, "time_left"), "1/8t");
  CHECK(textSetting(last(rig), "time_left") == "1/8t");
  rig.type(field(rig, "time_left"), "2 bars");
  CHECK(textSetting(last(rig), "time_left") == "2 bars");
  // A lead-in in bars or seconds.
  rig.key(Qt::Key_Escape);
  rig.placeOpen("reverse-reverb", "voice", 24, 26);
  rig.type(field(rig, "lead_beats"), "2 bars");
  CHECK(setting(last(rig), "lead_beats") == 8);
  rig.type(field(rig, "lead_beats"), "3 s");
  CHECK(setting(last(rig), "lead_beats") == 6);
}

TEST_CASE("a refused value names the ornament, the field and what is allowed, and leaves with the next act",
          "[promises]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  rig.type(field(rig, "feedback_percent"), "900");
  CHECK(field(rig, "feedback_percent")->note().contains("0..200"));
  rig.score().setFocus(); // gone elsewhere: what was typed is not taken
  const QString said = rig.window->measure().said();
  INFO(said.toStdString());
  CHECK(said.contains("Delay throw"));
  CHECK(said.contains("feedback"));
  CHECK(said.contains("0..200"));
  QCoreApplication::processEvents();
  rig.key(Qt::Key_N); // the next act
  CHECK_FALSE(rig.window->measure().said().contains("900"));
  // Left alone it goes by itself; what asks for a decision stays.
  auto* timer = rig.window->measure().findChild<QTimer*>();
  REQUIRE(timer);
  CHECK(timer->interval() == 8000);
  rig.window->measure().setLeavesByItself(true);
  rig.window->measure().say(QStringLiteral("words"), false);
  CHECK(timer->isActive());
  QMetaObject::invokeMethod(timer, "timeout");
  CHECK(rig.window->measure().said().isEmpty());
  rig.window->measure().say(QStringLiteral("choose"), false, QStringLiteral("this"), [] {});
  CHECK_FALSE(timer->isActive());
  QCoreApplication::processEvents();
  rig.key(Qt::Key_F8);
  CHECK(rig.window->measure().said() == "choose");
}

TEST_CASE("what is being measured is said to be", "[promises]") {
  SmallSongRig rig;
  rig.placeOpen("delay-throw", "voice", 8, 9.5);
  rig.settle();
  CHECK(rig.window->measure().figures().contains("LUFS"));
  CHECK_FALSE(rig.window->measure().figures().contains(QStringLiteral("tail …")));
  rig.place("reverb-throw", "voice", 12, 13);
  rig.session->choose(last(rig).id);
  // Its figures come through the loop of events, which has not run since: they are late.
  REQUIRE((!rig.session->rows().chosen() || rig.session->rows().chosen()->ornament != last(rig).id));
  CHECK(rig.window->measure().figures().contains(QStringLiteral("tail …")));
  rig.settle();
  CHECK_FALSE(rig.window->measure().figures().contains(QStringLiteral("tail …")));
}

TEST_CASE("alone is one state by mouse and by key", "[promises]") {
  SmallSongRig rig;
  rig.placeOpen("delay-throw", "voice", 8, 9.5);
  auto* word = rig.window->findChild<QAbstractButton*>(QStringLiteral("alone"));
  REQUIRE(word);
  const auto all = [&](bool on) {
    CHECK(word->isChecked() == on);
    CHECK(rig.window->action(QStringLiteral("alone"))->isChecked() == on);
    CHECK(rig.session->playback().alone() == on);
  };
  all(false);
  rig.key(Qt::Key_O);
  all(true);
  word->click();
  all(false);
  word->click();
  all(true);
  rig.key(Qt::Key_O);
  all(false);
}

TEST_CASE("looking elsewhere while it plays stays there, until the key or the next play", "[promises]") {
  SmallSongRig rig;
  rig.score().select(std::nullopt);
  rig.session->player().setLoop(std::nullopt);
  rig.window->action(QStringLiteral("loop"))->setChecked(false);
  rig.score().centreOn(Beats::ofQuarters(4));
  rig.key(Qt::Key_Home);
  rig.key(Qt::Key_Space);
  rig.window->tick();
  REQUIRE(rig.session->player().playing());
  CHECK(rig.score().follows());
  const auto playheadSeen = [&] {
    const double at = rig.session->plan()->map().quartersAt(rig.session->player().position());
    return at >= rig.score().axis().left && at <= rig.score().axis().right();
  };
  // By the wheel to the end of the song.
  for (int i = 0; i < 60; ++i) turnWheel(rig.score(), {700, 400}, -240);
  const double there = rig.score().axis().left;
  rig.hear(24000);
  rig.window->tick();
  CHECK(rig.score().axis().left == there);
  CHECK_FALSE(rig.score().follows());
  CHECK_FALSE(rig.window->action(QStringLiteral("follow"))->isChecked());
  CHECK_FALSE(playheadSeen());
  rig.key(Qt::Key_F, Qt::ControlModifier);
  rig.window->tick();
  CHECK(rig.score().follows());
  CHECK(playheadSeen());
  // Away again, stopped, played: it is followed from there on.
  rig.score().centreOn(Beats::ofQuarters(60));
  rig.window->tick();
  CHECK_FALSE(rig.score().follows());
  rig.key(Qt::Key_Space);
  rig.window->tick();
  rig.key(Qt::Key_Space);
  rig.window->tick();
  CHECK(rig.score().follows());
  CHECK(playheadSeen());
}

TEST_CASE("F1 is a page that fits, scrolls and is searched", "[promises]") {
  SmallSongRig rig;
  rig.key(Qt::Key_F1);
  auto* page = rig.window->findChild<KeysPage*>();
  REQUIRE(page);
  CHECK(page->height() <= 800);
  CHECK(page->width() <= 1280);
  for (const auto& [menu, entries] : rig.window->findChild<ActionRegistry*>()->menus())
    for (const QAction* a : entries)
      if (a && !a->shortcut().isEmpty()) {
        const QString words = QString(a->text()).remove('&').remove(QStringLiteral("…"));
        INFO(words.toStdString());
        CHECK(page->shown().contains(words));
        CHECK(page->shown().contains(a->shortcut().toString(QKeySequence::NativeText)));
      }
  CHECK_FALSE(page->shown().contains("Alt leaves"));
  const auto lines = page->shown().count('\n');
  page->search().setText(QStringLiteral("stutter"));
  CHECK(page->shown().contains("Stutter"));
  CHECK(page->shown().count('\n') < lines / 4);
  page->search().setText(QStringLiteral("xyzzy"));
  CHECK(page->shown().contains("No command"));
}

TEST_CASE("every kind's key pressed again does something, or says why not", "[promises][heavy]") {
  for (const Kind* kind : allKinds().all()) {
    SmallSongRig rig;
    INFO(kind->table().id);
    const std::string id = rig.placeOpen(kind->table().id.c_str(), "voice", 8, 9.5);
    const QKeySequence key(QString::fromStdString(kind->table().key));
    for (int press = 0; press < 3; ++press) {
      rig.window->measure().say({}, false);
      QCoreApplication::processEvents();
      const Song before = rig.session->song();
      rig.key(static_cast<Qt::Key>(key[0].key()));
      rig.settle();
      const bool said = !rig.window->measure().said().isEmpty(), changed = !(rig.session->song() == before);
      CHECK((said || changed));
      CHECK(rig.session->song().ornaments.size() == 1);
      CHECK(last(rig).id == id);
    }
  }
}

TEST_CASE("dragging over an open ornament's own source selects there and moves no ornament", "[promises]") {
  for (const char* kind : {"delay-throw", "reverb-throw", "reverse-reverb", "reverse", "treat", "gap"}) {
    SmallSongRig rig;
    INFO(kind);
    rig.placeOpen(kind, "voice", 24, 26);
    const Ornament before = last(rig);
    const QRect area = rig.score().openArea();
    const TimeAxis& axis = rig.score().axis();
    const auto x = [&](double beat) { return static_cast<int>(axis.xOf(Beats::ofQuarters(beat))); };
    // Where no handle is, at several heights.
    int tried = 0;
    for (int y = area.top() + 6; y < area.bottom() - 6; y += 9) {
      const QPoint from(x(24.6), y);
      bool taken = false;
      for (const OpenHandle& h : rig.score().opened().handles()) taken = taken || h.rect.contains(from);
      if (taken) continue;
      ++tried;
      rig.drag(&rig.score(), from, QPoint(x(25.5), y));
      CHECK(last(rig).start == before.start);
      CHECK(last(rig).length == before.length);
      CHECK(last(rig).source == before.source);
      CHECK(rig.score().selection());
      rig.score().select(std::nullopt);
      rig.settleView();
    }
    CHECK(tried > 3);
  }
}

TEST_CASE("lengths are said as they are: quarters, thirds and eighths of a beat", "[promises]") {
  const TempoMap four({{Beats(0), 104}}, {{Beats(0), 4, 4}}, Seconds(0), 48000),
      seven({{Beats(0), 104}}, {{Beats(0), 7, 8}}, Seconds(0), 48000);
  const auto said = [&](double quarters) { return spanWords(four, Beats(0), Beats::ofQuarters(quarters)); };
  CHECK(said(1.75) == QStringLiteral("1¾ beats"));
  CHECK(said(1.25) == QStringLiteral("1¼ beats"));
  CHECK(said(0.75) == QStringLiteral("¾ beat"));
  CHECK(said(1) == "1 beat");
  CHECK(said(4.0 / 3) == QStringLiteral("1⅓ beats"));
  CHECK(said(0.125) == QStringLiteral("⅛ beat"));
  CHECK(said(9.625) == QStringLiteral("2 bars 1⅝ beats"));
  CHECK(said(4 - 1e-4) == "1 bar");
  CHECK(said(15.99999) == "4 bars");
  CHECK(said(2.4) == QStringLiteral("2½ beats")); // none of them: to the nearest quarter
  CHECK(said(0.01) == QStringLiteral("less than ¼ beat"));
  CHECK(spanWords(seven, Beats(0), Beats::ofQuarters(4)) == "1 bar 1 beat");
}

TEST_CASE("a key with nothing to act on says why; on silence that is said too", "[promises]") {
  SmallSongRig rig;
  rig.score().select(std::nullopt);
  rig.key(Qt::Key_R);
  CHECK(rig.window->measure().said().contains("Nothing is selected"));
  CHECK(rig.session->song().ornaments.empty());
  // Between the words it is refused; what is moved there is said to be silent.
  rig.score().select(Selection{"voice", Beats::ofQuarters(30), Beats::ofQuarters(31)});
  rig.key(Qt::Key_R);
  rig.settle();
  CHECK(rig.window->measure().said().contains("This row is silent there"));
  CHECK(rig.session->song().ornaments.empty());
  Ornament moved = rig.ornament(rig.place("delay-throw", "voice", 8, 9));
  CHECK(rig.window->measure().said().contains("LU")); // what it heard
  moved.start = Beats::ofQuarters(30);
  rig.session->edit("moved", withOrnamentReplaced(rig.session->song(), moved));
  rig.session->choose(last(rig).id);
  rig.settle();
  rig.window->measure().say({}, false);
  CHECK(rig.window->measure().figures().contains("silent"));
  rig.place("gap", "voice", 24, 25);
  rig.session->choose(last(rig).id);
  rig.settle();
  CHECK_FALSE(rig.window->measure().figures().contains("silent"));
}

TEST_CASE("no key is two actions'", "[promises]") {
  Rig rig;
  std::map<QString, QString> owners;
  for (const QAction* a : rig.window->findChild<ActionRegistry*>()->all())
    for (const QKeySequence& key : a->shortcuts()) {
      const auto [it, isNew] = owners.emplace(key.toString(), a->objectName());
      INFO(key.toString().toStdString() << ": " << it->second.toStdString() << ", " << a->objectName().toStdString());
      CHECK(isNew);
    }
  CHECK(owners.size() > 80);
}

TEST_CASE("an error stays until it is dismissed, long messages wrap, and all can be read again", "[promises]") {
  SmallSongRig rig;
  MeasureLine& line = rig.window->measure();
  const int one = line.height();
  line.say("Save failed: the disk is full.", true);
  rig.settle();
  rig.key(Qt::Key_Right);
  CHECK(line.said() == "Save failed: the disk is full."); // a notice would have left
  line.say(QString("A long sentence that does not fit. ").repeated(12), false);
  rig.settleView();
  CHECK(line.height() > one + 10);
  rig.key(Qt::Key_Right);
  rig.settleView();
  CHECK(line.said().isEmpty());
  CHECK(line.height() == one);
  REQUIRE(line.messages().size() >= 2);
  CHECK(line.messages()[1].text == "Save failed: the disk is full.");
  CHECK(line.messages()[1].isError);
  QString shown;
  whenUp<QDialog>([&](QDialog* d) {
    for (const QLabel* l : d->findChildren<QLabel*>()) shown += l->text();
    d->reject();
  });
  QTest::mouseClick(line.findChild<QAbstractButton*>("messages"), Qt::LeftButton);
  CHECK(shown.contains("the disk is full"));
}

TEST_CASE("after a first press the line at the foot says what the key does next", "[promises]") {
  SmallSongRig rig;
  for (const Kind* k : allKinds().all()) {
    const std::string next = mannersOf(k->table().id)->nextPress(k->table().key);
    INFO(next);
    CHECK(next.back() == '.');
    CHECK(next.size() > 20);
  }
  rig.place("stutter", "voice", 8, 9);
  CHECK(rig.window->measure().said().startsWith("Press U again for another cell length."));
}

TEST_CASE("the cut of a bypassed throw is pulled as of one that plays", "[promises]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9);
  Ornament o = rig.ornament(id);
  o.enabled = false;
  o.settings["cut_at"] = 2.0;
  rig.session->edit("bypass", withOrnamentReplaced(rig.session->song(), o));
  rig.settleView();
  rig.drag(&rig.score(), rig.handle("cut"), rig.handle("cut") + QPoint(80, 0));
  CHECK(setting(rig.ornament(id), "cut_at") > 2.2);
}
