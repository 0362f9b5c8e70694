// Songs and hands one does not expect: no stems, many rows, hundreds of ornaments, sound before bar 1, a cat on the
// desk.
#include "rig.h"

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
  CHECK(told == QStringList{QStringLiteral("This row is silent there. Select a place where it plays.")});
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

TEST_CASE("two dozen rows: the wheel, the caret and an opened row reach the last one", "[corners][heavy]") {
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
    CHECK(inSight(rig, rig.score().caret().row()));
  }
  CHECK(rig.score().caret().row() == "mix");
  for (const char* row : {"r23", "r0", "r12"}) {
    rig.placeOpen("delay-throw", row, 4, 6);
    INFO(row);
    CHECK(rig.score().rect().contains(rig.score().opened().row()->geometry()));
    CHECK(rig.score().openArea().height() >= 96);
    rig.score().opened().close();
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
  CHECK(rig.score().hand().marked().size() == 200);
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
