// The form line: travelling, and editing sections and landings with all that is tied to them.
#include "app/frame/head_bar.h"
#include "app/lines/form_line.h"
#include "app/score/ruler.h"
#include "app/theme/type.h"
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
  CHECK(rig.session->history().undoLabel() == "move Two");
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
  rig.score().caret().put(Beats::ofQuarters(10));
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

TEST_CASE("signs stand before their landing or behind it as they are heard, and none lies on another", "[form]") {
  SmallSongRig rig;
  Song s = rig.session->song();
  int n = 0;
  const auto add = [&](const char* kind, double start, double length, const char* landing) {
    Ornament o;
    o.id = "n" + std::to_string(n++);
    o.kind = kind;
    o.on = "voice";
    o.start = Beats::ofQuarters(start);
    o.length = Beats::ofQuarters(length);
    if (*landing) o.landing = landing;
    s = withOrnament(std::move(s), o);
  };
  add("gap", 14, 2, "b");
  add("reverse-reverb", 16, 1, "b"); // its word comes after, it is heard before
  add("delay-throw", 16, 1, "b");
  for (int i = 0; i < 5; ++i) add("delay-throw", 15.5, 0.25, "");
  add("pulse", 20, 4, "");
  rig.session->edit("signs", s);
  rig.settle();
  auto* line = rig.window->findChild<FormLine*>();
  REQUIRE(line);
  const double wall = line->xOf(Beats::ofQuarters(16));
  auto signs = line->signs();
  REQUIRE(signs.size() == 9);
  for (const FormSign& sign : signs) {
    INFO(sign.ornament->id << " " << sign.ornament->kind);
    const bool after = sign.ornament->id == "n2" || sign.ornament->kind == "pulse";
    CHECK((sign.x > wall) == after);
    if (!after) CHECK(sign.x + 14 <= wall + 1);
  }
  std::sort(signs.begin(), signs.end(), [](const FormSign& a, const FormSign& b) { return a.x < b.x; });
  for (std::size_t i = 1; i < signs.size(); ++i) CHECK(signs[i].x - signs[i - 1].x >= 17);
}

TEST_CASE("names in the ruler have room of their own at any zoom and text size", "[form]") {
  SmallSongRig rig;
  Song s = rig.session->song();
  s.sections.push_back({"d", Beats::ofQuarters(36), "A long name for a short section"});
  s.landings.push_back({"l", Beats::ofQuarters(34), "turn"});
  int seen = 0;
  for (const double text : {1.0, 1.5, 2.0}) {
    setTextScale(text);
    for (const double zoom : {2.0, 6.0, 20.0, 60.0, 300.0}) {
      INFO(text << " " << zoom);
      TimeAxis axis = rig.score().axis();
      axis.pxPerBeat = zoom;
      const auto names = rulerNames(s, axis, s.sections[1], true, 1280);
      seen += static_cast<int>(names.size());
      for (std::size_t i = 1; i < names.size(); ++i)
        if (!names[i - 1].name.isEmpty()) CHECK(names[i - 1].ends <= names[i].x + 2);
    }
  }
  setTextScale(1);
  CHECK(seen > 30);
}

TEST_CASE("tempo and meter stay in the head at large text; menus wait behind their mark", "[form]") {
  for (const double text : {1.0, 1.25, 1.5}) {
    setTextScale(text);
    SmallSongRig rig;
    INFO(text);
    CHECK(rig.window->head().tempo()->isVisible());
    CHECK(rig.window->head().minimumSizeHint().width() <= 1280);
    // Nothing lies on anything else, nothing is cut.
    std::vector<QRect> taken;
    for (const QWidget* w : rig.window->head().findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
      if (!w->isVisible() || w->inherits("QMenu")) continue;
      CHECK(w->geometry().right() <= 1280);
      for (const QRect& r : taken) CHECK_FALSE(r.intersects(w->geometry()));
      taken.push_back(w->geometry());
    }
    CHECK(taken.size() >= 9);
  }
  setTextScale(1);
}
