// The form line: travelling, and editing sections and landings with all that is tied to them.
#include "rig.h"

#include <catch2/catch.hpp>

#include <QMenu>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

TEST_CASE("a landing is dragged in the form line and in the ruler, with what is tied to it", "[form]") {
  SmallSongRig rig;
  const std::string tied = rig.place("delay-throw", "voice", 12, 13), free = rig.place("gap", "drums", 14, 15);
  rig.session->edit("tie", [&] {
    Ornament o = rig.ornament(tied);
    o.landing = "b";
    return withOrnamentReplaced(rig.session->song(), o);
  }());
  rig.session->settle();
  const Song before = rig.session->song();
  FormLine& form = rig.window->form();
  const QPoint mark = form.markOf("b").center().toPoint();
  const auto x = [&](double beat) { return static_cast<int>(std::lround(form.xOf(Beats::ofQuarters(beat)))); };
  // Two bars later; it snaps to bars.
  rig.drag(&form, mark, mark + QPoint(x(24.3) - x(16), 0));
  REQUIRE(rig.session->song().landingById("b"));
  const Beats moved = rig.session->song().landingById("b")->at - Beats::ofQuarters(16);
  CHECK(moved.ticks % (4 * kTicksPerQuarter) == 0);
  CHECK(moved.ticks > 0);
  CHECK(rig.ornament(tied).start == Beats::ofQuarters(12) + moved);
  CHECK(rig.ornament(free).start == Beats::ofQuarters(14));
  CHECK(rig.session->history().undoLabel() == "move of Two");
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song() == before); // one step
  // In the ruler, on its letter.
  rig.score().showRange(8, 24, false);
  const double px = rig.score().axis().pxPerBeat;
  const QPoint letter(static_cast<int>(rig.score().axis().xOf(Beats::ofQuarters(16))) + 8, 14);
  rig.drag(&rig.score(), letter, letter + QPoint(static_cast<int>(px * 3.8), 0));
  CHECK(rig.session->song().landingById("b")->at == Beats::ofQuarters(20));
  CHECK(rig.ornament(tied).start == Beats::ofQuarters(16));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  // By key.
  rig.score().goToLanding(std::string("b"));
  rig.settleView();
  rig.key(Qt::Key_PageDown, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(rig.session->song().landingById("b")->at == Beats::ofQuarters(20));
  CHECK(rig.ornament(tied).start == Beats::ofQuarters(16));
}

TEST_CASE("sections and landings are made at the caret, named in place and removed", "[form]") {
  SmallSongRig rig;
  rig.score().setFocus();
  rig.score().setCaret(Beats::ofQuarters(10));
  rig.key(Qt::Key_M);
  REQUIRE(rig.session->song().landings.size() == 1);
  CHECK(rig.session->song().landings[0].at == Beats::ofQuarters(10));
  QLineEdit* field = rig.window->form().nameField();
  REQUIRE(field);
  CHECK(field->hasFocus());
  for (const char* c = "turn"; *c; ++c) QTest::keyClick(field, *c); // letters are the name's, not the window's
  QTest::keyClick(field, Qt::Key_Return);
  CHECK(rig.session->song().landings[0].name == "turn");
  CHECK(rig.score().hasFocus());
  // A section falls on the bar line before.
  rig.key(Qt::Key_M, Qt::ShiftModifier);
  REQUIRE(rig.session->song().sections.size() == 4);
  CHECK(rig.session->song().sections[1].at.ticks % (4 * kTicksPerQuarter) == 0);
  QTest::keyClick(rig.window->form().nameField(), Qt::Key_Escape); // the name it was given stays
  CHECK(rig.session->song().sections[1].name == "Section");
  // F2 names the current one; Ctrl+Delete removes it.
  const std::string id = rig.session->song().landings[0].id;
  rig.score().goToLanding(id);
  rig.settleView();
  rig.key(Qt::Key_F2);
  REQUIRE(rig.window->form().nameField());
  rig.window->form().nameField()->setText("second turn");
  QTest::keyClick(rig.window->form().nameField(), Qt::Key_Return);
  CHECK(rig.session->song().landings[0].name == "second turn");
  rig.key(Qt::Key_Delete, Qt::ControlModifier);
  CHECK(rig.session->song().landings.empty());
  CHECK(rig.session->history().undoLabel() == "remove second turn");
  CHECK(rig.score().landing()); // bars are counted to another one now
}

TEST_CASE("a click on a letter goes there, a drag elsewhere travels", "[form]") {
  SmallSongRig rig;
  rig.score().showRange(0, 16, false);
  FormLine& form = rig.window->form();
  QTest::mouseClick(&form, Qt::LeftButton, {}, form.markOf("c").center().toPoint());
  rig.settleView();
  REQUIRE(rig.score().landing());
  CHECK(rig.score().landing()->id == "c");
  CHECK(rig.score().axis().left < 32);
  CHECK(rig.score().axis().right() > 32);
  const int y = form.height() / 2;
  const auto x = static_cast<int>(form.xOf(Beats::ofQuarters(50)));
  QTest::mouseClick(&form, Qt::LeftButton, {}, QPoint(x, y));
  const double centre = (rig.score().axis().left + rig.score().axis().right()) / 2;
  CHECK(centre == Approx(50).margin(0.5));
  CHECK(rig.session->song().landings.empty()); // nothing was moved or made
}

TEST_CASE("the right button offers what can be done at a place", "[form]") {
  SmallSongRig rig;
  FormLine& form = rig.window->form();
  const auto choose = [&](QPoint at, const QString& words) {
    QTimer::singleShot(0, [words] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      REQUIRE(menu);
      QAction* found = nullptr;
      for (QAction* a : menu->actions())
        if (a->text().startsWith(words)) found = a;
      REQUIRE(found);
      menu->setActiveAction(found);
      QTest::keyClick(menu, Qt::Key_Return);
    });
    QContextMenuEvent e(QContextMenuEvent::Mouse, at, form.mapToGlobal(at));
    QApplication::sendEvent(&form, &e);
  };
  const auto x = static_cast<int>(form.xOf(Beats::ofQuarters(40.2)));
  choose(QPoint(x, form.height() - 8), "New landing");
  REQUIRE(rig.session->song().landings.size() == 1);
  CHECK(rig.session->song().landings[0].at == Beats::ofQuarters(40));
  QTest::keyClick(rig.window->form().nameField(), Qt::Key_Return);
  choose(form.markOf(rig.session->song().landings[0].id).center().toPoint(), "Remove");
  CHECK(rig.session->song().landings.empty());
}
