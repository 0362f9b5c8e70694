// Recipes at a landing, in the window.
#include "app/score/recipe_card.h"
#include "app/session/recipe_trial.h"
#include "app/theme/type.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QInputDialog>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
using namespace ivrin::test;

namespace {

RecipeCard& cardOf(Rig& rig) {
  auto* card = rig.window->findChild<RecipeCard*>(QStringLiteral("recipe-card"));
  REQUIRE(card);
  return *card;
}
const RecipeTrial& trialOf(Rig& rig) {
  auto* trial = rig.window->findChild<RecipeTrial*>();
  REQUIRE(trial);
  return *trial;
}
void openAt(Rig& rig, const char* landing) {
  rig.score().goToLanding(landing);
  rig.settle();
  rig.window->action("recipes")->trigger();
  rig.session->waitUntilIdle();
  rig.settle();
}
void key(Rig& rig, int key) {
  QTest::keyClick(&cardOf(rig), static_cast<Qt::Key>(key));
  rig.session->waitUntilIdle();
  rig.settle();
}

} // namespace

TEST_CASE("from a landing to a whole transition in three keys, heard before, undone in one", "[app][recipes]") {
  SmallSongRig rig;
  const Song before = rig.session->song();
  openAt(rig, "c"); // one
  RecipeCard& card = cardOf(rig);
  CHECK(card.isVisible());
  CHECK(trialOf(rig).running());
  CHECK(rig.score().landing()->id == "c"); // what the loop is laid about
  const auto heard = [&] { return rig.session->song().ornaments.size(); };
  CHECK(heard() >= 2);
  CHECK(rig.session->player().playing()); // in a loop about the landing
  CHECK(rig.window->measure().said().contains("not placed"));
  const Song first = rig.session->song();
  key(rig, Qt::Key_Down); // two: the next one
  CHECK_FALSE(rig.session->song() == first);
  const Song wanted = rig.session->song();
  key(rig, Qt::Key_Return); // three
  CHECK_FALSE(card.isVisible());
  CHECK(rig.session->song() == wanted);
  CHECK(rig.window->measure().said().contains("Placed “"));
  for (const auto& o : wanted.ornaments) {
    CHECK(o->landing == "c");
    REQUIRE(o->recipe);
    CHECK(o->recipe->landing == "c");
  }
  rig.session->undo();
  CHECK(rig.session->song() == before);
}

TEST_CASE("escape leaves the song as it was, however many were heard", "[app][recipes][heavy]") {
  SmallSongRig rig;
  const Song before = rig.session->song();
  openAt(rig, "b");
  for (int i = 0; i < 4; ++i) key(rig, Qt::Key_Down);
  key(rig, Qt::Key_Plus);
  CHECK(trialOf(rig).options().density == 1);
  key(rig, Qt::Key_Left);
  CHECK(trialOf(rig).options().length == -1);
  key(rig, Qt::Key_Escape);
  CHECK_FALSE(cardOf(rig).isVisible());
  CHECK(rig.session->song() == before);
  CHECK_FALSE(rig.session->history().changedSinceSave());
  CHECK(rig.score().hasFocus());
}

TEST_CASE("by mouse: a click hears a recipe, a double click places it; opened again it is heard in its place",
          "[app][recipes][heavy]") {
  SmallSongRig rig;
  openAt(rig, "c");
  RecipeCard& card = cardOf(rig);
  QTest::mouseClick(&card, Qt::LeftButton, {}, card.rowOf(2).center());
  rig.session->waitUntilIdle();
  CHECK(trialOf(rig).heard() == 2);
  const std::string name = trialOf(rig).all()[2].name;
  QTest::mouseDClick(&card, Qt::LeftButton, {}, card.rowOf(2).center());
  rig.session->waitUntilIdle();
  REQUIRE_FALSE(rig.session->song().ornaments.empty());
  CHECK(rig.session->song().ornaments[0]->recipe->name == name);
  const std::size_t placed = rig.session->song().ornaments.size();
  const Song kept = rig.session->song();
  openAt(rig, "c");
  CHECK(trialOf(rig).all()[trialOf(rig).heard()].name == name);
  CHECK(rig.session->song().ornaments.size() == placed); // not twice
  key(rig, Qt::Key_Escape);
  CHECK(rig.session->song() == kept);
}

TEST_CASE("a recipe replaces only what stands in its way on the same row, and says what", "[recipes][heavy]") {
  SmallSongRig rig;
  openAt(rig, "c");
  key(rig, Qt::Key_Return);
  const Song first = rig.session->song();
  REQUIRE(first.ornaments.size() >= 2);
  int replaced = 0, stayed = 0;
  openAt(rig, "c");
  RecipeTrial& trial = *rig.window->findChild<RecipeTrial*>();
  const std::string own = first.ornaments[0]->recipe->name;
  for (std::size_t i = 0; i < trial.fitting(); ++i) {
    if (trial.all()[i].name == own) continue;
    trial.hear(i);
    rig.settle();
    const Song now = rig.session->song();
    const auto standsStill = [&](const Ornament& o) {
      return std::any_of(now.ornaments.begin(), now.ornaments.end(), [&](const auto& p) {
        return p->recipe && p->recipe->name == own && p->on == o.on && p->start == o.start && p->kind == o.kind;
      });
    };
    int gone = 0;
    for (const auto& o : first.ornaments) {
      const bool meets = std::any_of(now.ornaments.begin(), now.ornaments.end(), [&](const auto& p) {
        return p->recipe && p->recipe->name != own && p->on == o->on && p->start < o->span().end &&
               o->start < p->span().end;
      });
      INFO(trial.all()[i].name << ": " << o->kind << " on " << o->on);
      CHECK(standsStill(*o) == !meets);
      gone += meets ? 1 : 0;
      (meets ? replaced : stayed) += 1;
    }
    CHECK(trial.said().contains("; replaces ") == (gone > 0));
  }
  CHECK(replaced > 0);
  CHECK(stayed > 0);
  key(rig, Qt::Key_Escape);
  CHECK(rig.session->song() == first);
}

TEST_CASE("what is heard and not placed is not saved, and does not keep the window from closing", "[app][recipes]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const Song before = rig.session->song();
  openAt(rig, "c");
  REQUIRE(rig.session->song().ornaments.size() >= 2);
  rig.window->action("save")->trigger();
  rig.session->waitUntilIdle();
  CHECK(rig.session->song() == before);
  CHECK_FALSE(cardOf(rig).isVisible());
  CHECK(fileBytes(dir / "song.ivrin").find("\"recipe\"") == std::string::npos);
  openAt(rig, "c");
  rig.window->close();
  CHECK(rig.session->song() == before);
}

TEST_CASE("a transition is carried to the next landing and fitted to it, one step of undo", "[app][recipes]") {
  SmallSongRig rig;
  rig.place("gap", "drums", 15, 16);
  rig.place("riser", "keys", 8, 16);
  rig.settle();
  rig.settleView();
  rig.score().countTo("b");
  const Song before = rig.session->song();
  rig.window->action("carryTransition")->trigger();
  rig.session->waitUntilIdle();
  rig.settle();
  CHECK(cardOf(rig).isVisible());
  CHECK(trialOf(rig).landing() == "c");
  CHECK(trialOf(rig).all().front().name == "like Two");
  key(rig, Qt::Key_Return);
  REQUIRE(rig.session->song().ornaments.size() == 4);
  const Ornament gap = *rig.session->song().ornaments[2], riser = *rig.session->song().ornaments[3];
  CHECK(gap.kind == "gap");
  CHECK(gap.on == "drums");
  CHECK(gap.landing == "c");
  CHECK(gap.span().end.quarters() == Approx(32).margin(0.03));
  CHECK(riser.kind == "riser");
  CHECK(riser.start == Beats::ofQuarters(24));
  CHECK(riser.span().end == Beats::ofQuarters(32));
  rig.session->undo();
  CHECK(rig.session->song() == before);
}

TEST_CASE("nothing leads to the start of the song, and that is said", "[app][recipes]") {
  SmallSongRig rig;
  openAt(rig, "a");
  CHECK_FALSE(cardOf(rig).isVisible());
  CHECK(rig.window->measure().said().contains("Nothing plays before the start of the song"));
}

TEST_CASE("ornaments are kept as a recipe of one's own, and it is among the others then", "[app][recipes]") {
  const TempFolder data;
  qputenv("XDG_DATA_HOME", QByteArray::fromStdString(data.path().string()));
  SmallSongRig rig;
  rig.score().goToLanding("c");
  rig.place("gap", "drums", 31, 32);
  rig.place("tape", "keys", 30, 32);
  rig.score().opened().close();
  rig.settle();
  rig.settleView();
  rig.score().countTo("c");
  REQUIRE(rig.score().landing());
  CHECK(rig.score().landing()->id == "c");
  whenUp<QInputDialog>([](QInputDialog* d) {
    d->setTextValue("my stop");
    d->accept();
  });
  rig.window->action("keepRecipe")->trigger();
  INFO(rig.window->measure().said().toStdString());
  CHECK(rig.window->measure().said().contains("Saved recipe “my stop”: 2 ornaments"));
  openAt(rig, "b");
  const auto& all = trialOf(rig).all();
  CHECK(
      std::any_of(all.begin(), all.end(), [](const Recipe& r) { return r.name == "my stop" && r.parts.size() == 2; }));
  key(rig, Qt::Key_Escape);
}

TEST_CASE("the mouse resting on a recipe hears it; a word on the card places it", "[recipes]") {
  SmallSongRig rig;
  rig.score().countTo("c");
  rig.window->action("recipes")->trigger();
  rig.settle();
  RecipeCard& card = cardOf(rig);
  RecipeTrial& trial = *rig.window->findChild<RecipeTrial*>();
  const std::size_t first = trial.heard(), other = first == 1 ? 2 : 1;
  QMouseEvent over(QEvent::MouseMove, card.rowOf(other).center(), card.mapToGlobal(card.rowOf(other).center()),
                   Qt::NoButton, Qt::NoButton, Qt::NoModifier);
  QApplication::sendEvent(&card, &over);
  CHECK(trial.heard() == first); // passing over is not resting
  CHECK(QTest::qWaitFor([&] { return trial.heard() == other; }));
  rig.settle();
  const std::size_t proposed = trial.proposed().size();
  QTest::mouseClick(card.placeButton(), Qt::LeftButton);
  CHECK_FALSE(trial.running());
  CHECK(rig.session->song().ornaments.size() == proposed);
}

TEST_CASE("recipes lead from an opening to the landing after it", "[recipes]") {
  SmallSongRig rig;
  RecipeTrial& trial = *rig.window->findChild<RecipeTrial*>();
  rig.window->action("openings")->trigger();
  rig.settle();
  REQUIRE(rig.session->findings().openings());
  // One that has its place in view, before "Two".
  const OpeningMarks& marks = rig.score().openings().marks();
  rig.score().showRange(0, 18, false);
  rig.settleView();
  const auto& all = marks.at(rig.score().axis().pxPerBeat);
  const auto mark = std::find_if(all.begin(), all.end(), [](const OpeningMarks::Mark& m) {
    return m.opening.place.begin < Beats::ofQuarters(14);
  });
  REQUIRE(mark != all.end());
  rig.score().countTo("c");
  const QPoint at(static_cast<int>(rig.score().axis().xOf(mark->opening.place.begin)) + scaled(8),
                  rig.score().staffOf(mark->opening.row).bottom() - scaled(6));
  QContextMenuEvent menu(QContextMenuEvent::Mouse, at, rig.score().mapToGlobal(at));
  QApplication::sendEvent(&rig.score(), &menu);
  CHECK(trial.running());
  CHECK(trial.landing() == "b");
  trial.letGo();
  rig.settle();
  // By keys: the opening that was stepped to.
  rig.score().countTo("c");
  rig.score().caret().put(Beats(0));
  rig.window->action("nextOpening")->trigger();
  rig.settle();
  REQUIRE(rig.score().selection());
  rig.window->action("recipes")->trigger();
  rig.settle();
  CHECK(trial.running());
  CHECK(trial.landing() == "b");
}

TEST_CASE("one key makes room for a lead-in, again otherwise, then none; another opens wide on the landing",
          "[recipes]") {
  SmallSongRig rig;
  ScoreView& score = rig.score();
  score.countTo("b");
  const std::string id = rig.place("riser", "mix", 8, 16); // into "Two"
  Ornament o = rig.ornament(id);
  o.landing = "b";
  rig.session->edit("tied", withOrnamentReplaced(rig.session->song(), o));
  rig.settle();
  const Song before = rig.session->song();
  rig.window->action("makeRoom")->trigger(); // by the landing: it is opened and measured first
  rig.settle();
  const auto added = [&] {
    std::vector<Ornament> all;
    for (const auto& one : rig.session->song().ornaments)
      if (!before.ornament(one->id)) all.push_back(*one);
    return all;
  };
  const std::vector<Ornament> dips = added();
  REQUIRE(dips.size() >= 1);
  for (const Ornament& d : dips) {
    CHECK(d.kind == "treat");
    CHECK(d.landing == "b");
    CHECK(d.span().end == Beats::ofQuarters(16));
    CHECK(d.finish.front().type == "gain");
  }
  rig.session->undo();
  rig.settle();
  CHECK(rig.session->song() == before); // one step
  rig.session->redo();
  rig.settle();
  rig.window->action("makeRoom")->trigger();
  rig.settle();
  REQUIRE(added().size() == dips.size());
  CHECK(added().front().finish.front().type == "filter");
  rig.window->action("makeRoom")->trigger();
  rig.settle();
  CHECK(added().empty());

  score.opened().close();
  score.select(std::nullopt);
  for (const double bars : {2.0, 4.0}) {
    rig.window->action("openWide")->trigger();
    rig.settle();
    REQUIRE(added().size() == 1);
    const Ornament n = added().front();
    CHECK(n.on == kMixRow);
    CHECK(n.landing == "b");
    CHECK(n.span().end == Beats::ofQuarters(16));
    CHECK(n.length.quarters() == 4 * bars);
  }
  rig.window->action("openWide")->trigger(); // there are no more bars before it
  rig.settle();
  CHECK(added().empty());
  // Nothing leads anywhere any more.
  rig.session->edit("away", withoutOrnament(rig.session->song(), id));
  rig.settle();
  const Song now = rig.session->song();
  rig.window->action("makeRoom")->trigger();
  rig.settle();
  CHECK(rig.session->song() == now);
  CHECK(rig.window->measure().said().contains("lead"));
}
