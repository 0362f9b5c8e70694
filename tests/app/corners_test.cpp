// Songs and hands one does not expect: no stems, many rows, hundreds of ornaments, sound before bar 1, a cat on the
// desk.
#include "rig.h"
#include "test_support/any_settings.h"

#include <catch2/catch.hpp>

#include <QApplication>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

/// Rows "r0" … of one file, sixteen bars at 120.
Song manyRows(const TempFolder& dir, int rows) {
  writeWav(dir / "row.wav", 48000, 1, 64 * 24000, words({{1, 2}, {4, 6}, {9, 12}, {20, 23}, {40, 44}}));
  Song s;
  s.title = "Many";
  s.sections = {{"a", Beats(0), "One"}, {"b", Beats::ofQuarters(32), "Two"}};
  for (int i = 0; i < rows; ++i) {
    Stem stem;
    const QString n = QString::number(i);
    stem.id = QStringLiteral("r%1").arg(n).toStdString();
    stem.name = QStringLiteral("Row %1").arg(n).toStdString();
    stem.file = "row.wav";
    stem.mix.gainDb = -24;
    s.stems.push_back(stem);
  }
  return s;
}

std::filesystem::path written(const TempFolder& dir, const Song& s) {
  std::ofstream(dir / "song.ivrin") << writeSong(s, allKinds().registry());
  return dir / "song.ivrin";
}

bool inSight(Rig& rig, const std::string& row) {
  return rig.score().rect().contains(rig.score().staffOf(row));
}

} // namespace

TEST_CASE("a song without stems opens, takes an ornament on its mix and stays silent until that sounds", "[corners]") {
  const TempFolder dir;
  Rig rig;
  Song s;
  s.title = "Nothing yet";
  rig.open(written(dir, s));
  REQUIRE(rig.session->isOpen());
  CHECK(rig.session->song().rowsInScoreOrder() == std::vector<std::string>{"mix"});
  // There is nothing to throw: it is refused, with the reason.
  QStringList told;
  QObject::connect(rig.session.get(), &Session::notice, rig.window.get(), [&](const QString& t, bool) { told << t; });
  rig.score().select(Selection{"mix", Beats::ofQuarters(4), Beats::ofQuarters(5)});
  rig.score().placeOnSelection("delay-throw");
  rig.settle();
  CHECK(rig.session->song().ornaments.empty());
  CHECK(told == QStringList{QStringLiteral("Nothing sounds there on this row.")});
  // A riser needs nothing.
  const std::string id = rig.placeOpen("riser", "mix", 4, 8);
  CHECK(rig.ornament(id).on == "mix");
  CHECK_FALSE(rig.score().openArea().isEmpty());
  rig.session->player().play(Frames(0));
  CHECK(largest(rig.hear(48000)) == 0);
  CHECK(largest(rig.hear(3 * 48000)) > 0.01f);
  rig.session->player().stop();
  rig.key(Qt::Key_Escape);
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments.empty());
}

TEST_CASE("two dozen rows: the wheel, the caret and an opened row reach the last one", "[corners]") {
  const TempFolder dir;
  Rig rig;
  rig.window->resize(1280, 600);
  rig.open(written(dir, manyRows(dir, 24)));
  CHECK(inSight(rig, "r0"));
  CHECK_FALSE(inSight(rig, "mix"));
  turnWheel(rig.score(), rig.score().rect().toRectF().center(), 120 * -200, Qt::ShiftModifier);
  CHECK(inSight(rig, "mix"));
  CHECK_FALSE(inSight(rig, "r0"));
  turnWheel(rig.score(), rig.score().rect().toRectF().center(), 120 * 200, Qt::ShiftModifier);
  CHECK(inSight(rig, "r0"));
  rig.score().setFocus();
  for (int i = 0; i < 24; ++i) {
    rig.key(Qt::Key_Down);
    CHECK(inSight(rig, rig.score().caretRow()));
  }
  CHECK(rig.score().caretRow() == "mix");
  for (const char* row : {"r23", "r0", "r12"}) {
    rig.placeOpen("delay-throw", row, 4, 6);
    INFO(row);
    CHECK(rig.score().rect().contains(rig.score().openRow()->geometry()));
    CHECK(rig.score().openArea().height() >= 96);
    rig.score().closeOrnament();
    rig.settleView();
  }
}

TEST_CASE("two hundred ornaments on one row are drawn, walked through and edited", "[corners]") {
  const TempFolder dir;
  Rig rig;
  Song s = manyRows(dir, 2);
  for (int i = 0; i < 200; ++i) {
    Ornament o;
    o.id = QStringLiteral("o%1").arg(i + 1).toStdString();
    o.kind = i % 3 == 0 ? "delay-throw" : i % 3 == 1 ? "gap" : "tape";
    o.on = "r0";
    o.start = Beats::ofQuarters(0.25 * i);
    o.length = Beats::ofQuarters(0.5);
    s.ornaments.push_back(o);
  }
  rig.open(written(dir, s));
  REQUIRE(rig.session->song().ornaments.size() == 200);
  rig.score().showRange(0, 64, false);
  int signs = 0;
  for (const auto& o : s.ornaments) signs += !rig.score().signOf(o->id).isEmpty();
  CHECK(signs == 200);
  // The one in the middle, by mouse.
  rig.score().showRange(24, 26, false);
  rig.settleView();
  QTest::mouseClick(&rig.score(), Qt::LeftButton, {}, rig.score().signOf("o101").center().toPoint());
  rig.settle();
  CHECK(rig.session->chosen() == "o101");
  rig.key(Qt::Key_Escape);
  rig.settleView();
  rig.key(Qt::Key_A, Qt::ControlModifier);
  CHECK(rig.score().marked().size() == 200);
  rig.key(Qt::Key_Delete);
  CHECK(rig.session->song().ornaments.empty());
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.session->song().ornaments.size() == 200); // one step
}

TEST_CASE("a voice that begins before bar 1 is seen, selected and thrown there", "[corners]") {
  const TempFolder dir;
  Rig rig;
  Song s = manyRows(dir, 1);
  s.stems[0].offsetSeconds = -2; // its word on beats 1 to 2 stands at −3 to −2
  s.stems[0].mix.gainDb = 0;
  rig.open(written(dir, s));
  rig.score().showRange(-6, 10, false);
  rig.settleView();
  rig.select("r0", -3, -2);
  REQUIRE(rig.score().selection());
  CHECK(rig.score().selection()->begin == Beats::ofQuarters(-3));
  rig.key(Qt::Key_D);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  const std::string id = rig.session->chosen();
  CHECK(rig.ornament(id).start == Beats::ofQuarters(-3));
  // Its echoes are heard in the song, from its first frame on.
  rig.session->player().stop();
  rig.session->setAlone(true);
  rig.session->player().play(Frames(0));
  CHECK(largest(rig.hear(96000)) > 0.005f);
}

TEST_CASE("whatever hands do, the song stays legal, can be undone to its begin and done again", "[corners][slow]") {
  // IVRIN_SOAK=N in the environment: N further rounds, each with chances of its own.
  const int rounds = tries(2) + qEnvironmentVariableIntValue("IVRIN_SOAK");
  const auto seed = static_cast<std::uint64_t>(GENERATE_REF(range(1, rounds + 1)));
  CAPTURE(seed);
  SmallSongRig rig;
  const Song original = rig.session->song();
  Chance chance(seed * 1000);
  // What opens a dialog or ends the window is left out.
  std::vector<QAction*> actions;
  for (QAction* a : rig.window->actions()) {
    static const std::set<QString> leave = {"new",  "open",  "demo",   "save",   "saveAs",     "export",     "quit",
                                            "keys", "about", "output", "rename", "newLanding", "newSection", "undo"};
    if (!leave.contains(a->objectName()) && !a->text().endsWith(QChar(0x2026))) actions.push_back(a);
  }
  REQUIRE(actions.size() > 60);
  const auto rows = original.rowsInScoreOrder();
  const auto anywhere = [&] {
    const QSize page = rig.score().size();
    return QPoint(120 + chance.below(static_cast<std::size_t>(page.width() - 130)),
                  chance.below(static_cast<std::size_t>(page.height())));
  };
  int edits = 0, dragged = 0;
  QString log;
  for (int step = 0; step < 120; ++step) {
    const Song before = rig.session->song();
    switch (chance.below(6)) {
    case 0: { // a stretch and a kind
      const double from = 0.25 * chance.below(200) - 4;
      rig.score().select(Selection{chance.oneOf(rows), Beats::ofQuarters(from),
                                   Beats::ofQuarters(from + 0.25 * (1 + chance.below(16)))});
      const auto& kind = chance.oneOf(allKinds().all())->table().id;
      log = QStringLiteral("place ") + QString::fromStdString(kind);
      rig.score().placeOnSelection(QString::fromStdString(kind));
      rig.session->waitUntilIdle();
      break;
    }
    case 1:
    case 2: {
      QAction* a = chance.oneOf(actions);
      log = a->objectName();
      if (a->isEnabled()) a->trigger();
      break;
    }
    case 3: { // a drag from anywhere to anywhere
      log = QStringLiteral("drag");
      const QPoint from = anywhere(), to = anywhere();
      static const std::vector<Qt::KeyboardModifiers> held = {Qt::NoModifier, Qt::NoModifier, Qt::AltModifier,
                                                              Qt::ControlModifier};
      rig.drag(&rig.score(), from, to, chance.oneOf(held));
      break;
    }
    case 4: { // a handle of the open row, or opening one
      const auto& all = rig.session->song().ornaments;
      if (!rig.score().ornamentIsOpen()) {
        if (all.empty()) break;
        log = QStringLiteral("open");
        rig.score().openOrnament(chance.oneOf(all)->id);
        break;
      }
      static const std::vector<const char*> names = {"bend",   "halt",  "lowest", "turn", "cycle", "mix",
                                                     "slower", "begin", "end",    "land", "lead",  "decay",
                                                     "rise",   "wet",   "spill",  "in",   "out",   "time_left"};
      const char* name = chance.oneOf(names);
      if (rig.score().handleRect(name).isEmpty()) break;
      log = QStringLiteral("handle ") + QLatin1String(name);
      rig.drag(&rig.score(), rig.handle(name),
               rig.handle(name) + QPoint(chance.below(300) - 150, chance.below(120) - 60));
      ++dragged;
      break;
    }
    default: { // a number, stepped
      if (!rig.score().ornamentIsOpen()) break;
      const auto& table = allKinds().find(rig.ornament(rig.session->chosen()).kind)->table();
      const auto& spec = chance.oneOf(table.settings);
      log = QStringLiteral("step ") + QString::fromStdString(spec.key);
      if (NumberField* f = rig.score().openRow()->field(spec.key)) {
        f->setFocus();
        for (int i = 0; i < 1 + chance.below(5); ++i) QTest::keyClick(f, seed % 2 == 0 ? Qt::Key_Up : Qt::Key_Down);
      }
      break;
    }
    }
    if (step % 16 == 0) rig.settle();
    edits += !(rig.session->song() == before);
    Problems problems;
    const auto again = readSong(writeSong(rig.session->song(), allKinds().registry()), allKinds().registry(), problems);
    INFO("step " << step << ": " << log.toStdString());
    REQUIRE(again);
    REQUIRE_FALSE(problems.hasErrors());
    REQUIRE(*again == rig.session->song());
  }
  CHECK(edits > 20);
  CHECK(dragged > 0);
  rig.settle();
  rig.session->player().play(Frames(0));
  CHECK(largest(rig.hear(96000)) <= 1);
  rig.session->player().stop();
  const Song last = rig.session->song();
  rig.session->settle();
  int steps = 0;
  for (; rig.session->history().canUndo(); ++steps) rig.session->undo();
  CHECK(rig.session->song() == original);
  for (int i = 0; i < steps; ++i) rig.session->redo();
  CHECK(rig.session->song() == last);
}
