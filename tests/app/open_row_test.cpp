// The open row: variants, alone, ties, the shared curve editor, answers to collisions.
#include "app/openrow/curve_lane.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QApplication>
#include <QClipboard>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

Curve curveOf(const Ornament& o, const char* key) {
  return *Curve::from(settingOr(allKinds().find(o.kind)->table(), o.settings, key));
}

} // namespace

TEST_CASE("variants are begun, changed, compared and forgotten", "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  OpenTitle& title = rig.score().opened().row()->title();
  using S = VariantRing::State;
  CHECK(title.variant(0)->state() == S::live);
  CHECK(title.variant(1)->state() == S::empty);
  const double first = setting(rig.ornament(id), "feedback_percent");
  QTest::mouseClick(title.variant(1), Qt::LeftButton);
  CHECK(rig.ornament(id).variant == "B");
  CHECK(setting(rig.ornament(id), "feedback_percent") == first); // begun as a copy
  rig.type(rig.score().opened().row()->field("feedback_percent"), "20");
  CHECK(rig.score().hasFocus()); // typing ended with Return
  rig.score().setFocus();
  rig.key(Qt::Key_1); // by key
  CHECK(rig.ornament(id).variant == "A");
  CHECK(setting(rig.ornament(id), "feedback_percent") == first);
  CHECK(title.variant(1)->state() == S::stored);
  rig.key(Qt::Key_2);
  CHECK(setting(rig.ornament(id), "feedback_percent") == 20);
  rig.key(Qt::Key_1);
  title.variant(1)->setFocus();
  rig.key(Qt::Key_Delete);
  CHECK(title.variant(1)->state() == S::empty);
  CHECK(rig.ornament(id).variants.empty());
  CHECK(rig.session->history().undoLabel() == "delete variant B of delay throw");
  // It survives the file.
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  rig.save(rig.dir / "song.ivrin");
  rig.open(rig.dir / "song.ivrin");
  REQUIRE(rig.ornament(id).variants.size() == 1);
  CHECK(*rig.ornament(id).variants[0].settings.at("feedback_percent").number() == 20);
}

TEST_CASE("tied to: the open row ties to any landing", "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  NumberField* tied = rig.score().opened().row()->field("landing");
  REQUIRE(tied);
  tied->setFocus();
  rig.key(Qt::Key_Up);
  CHECK(rig.ornament(id).landing == "a");
  rig.key(Qt::Key_Up);
  rig.key(Qt::Key_Up);
  CHECK(rig.ornament(id).landing == "c");
  CHECK(*rig.score().opened().row()->field("landing")->value().text() == "Three");
  // A landing that is renamed is called so here too.
  rig.session->edit("name", withLandingNamed(rig.session->song(), "c", "Last"));
  CHECK(*rig.score().opened().row()->field("landing")->value().text() == "Last");
}

TEST_CASE("a curve is drawn by mouse: points set, dragged, bent and removed", "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  const double before = setting(rig.ornament(id), "feedback_percent");
  NumberField* field = rig.score().opened().row()->field("feedback_percent");
  QTest::mouseClick(field, Qt::LeftButton, {}, field->curveMark().center());
  CurveLane* lane = rig.score().opened().lane();
  REQUIRE(lane);
  CHECK(lane->geometry() == rig.score().openArea());
  CHECK(lane->curve().points().size() == 1);
  // A click on the line sets a point; the value stays what it was.
  const TimeAxis& axis = rig.score().axis();
  const auto laneX = [&](double beat) {
    return static_cast<int>(std::lround(axis.xOf(Beats::ofQuarters(beat)))) - lane->x();
  };
  const QPoint online(laneX(10.02), static_cast<int>(std::lround(lane->pointAt(0).y())));
  QTest::mouseClick(lane, Qt::LeftButton, {}, online);
  REQUIRE(lane->curve().points().size() == 2);
  CHECK(curveOf(rig.ornament(id), "feedback_percent").at(2) == before);
  CHECK(lane->curve().points()[1].x == 2); // on the grid, counted from the ornament's start
  // It is dragged up: higher feedback from there on, one undo step.
  const QPoint point = lane->pointAt(1).toPoint();
  rig.drag(lane, point, point - QPoint(0, 30));
  const double raised = lane->curve().points()[1].y;
  CHECK(raised > before + 10);
  CHECK(raised == std::round(raised)); // in steps of the setting
  CHECK(rig.session->history().undoLabel() == "point of feedback curve of delay throw");
  // The line between is bent.
  const QPoint middle = lane->bendAt(1).toPoint();
  rig.drag(lane, middle, middle + QPoint(0, 12));
  CHECK(lane->curve().points()[1].bend != 0);
  CHECK(lane->curve().at(1) < (before + raised) / 2 - 2);
  // What is heard follows the curve: the sound is the one the same song gives on the command line's way.
  rig.settle();
  CHECK(rig.session->plan()->node(id)->print->complete());
  // The number says so; the drawing's slope keeps its shape.
  CHECK(rig.score().opened().row()->field("feedback_percent")->value().list());
  // Removed again by a double click: a plain number.
  QTest::mouseDClick(lane, Qt::LeftButton, {}, lane->pointAt(1).toPoint());
  CHECK(lane->curve().points().size() == 1);
  CHECK(rig.ornament(id).settings.at("feedback_percent").number());
  rig.key(Qt::Key_Escape);
  CHECK_FALSE(rig.score().opened().lane());
  CHECK(rig.score().opened().isOpen());
}

TEST_CASE("a curve is drawn by keys alone, typed, copied and pasted", "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  rig.score().opened().row()->field("send_percent")->setFocus();
  rig.key(Qt::Key_C);
  CurveLane* lane = rig.score().opened().lane();
  REQUIRE(lane);
  CHECK(lane->hasFocus());
  rig.key(Qt::Key_Insert);
  REQUIRE(lane->curve().points().size() == 2);
  CHECK(lane->chosen() == 1);
  for (int i = 0; i < 10; ++i) rig.key(Qt::Key_Down);
  CHECK(lane->curve().points()[1].y == 90);
  rig.key(Qt::Key_Right);
  CHECK(lane->curve().points()[1].x == 1.25);
  rig.key(Qt::Key_Up, Qt::ControlModifier);
  CHECK(lane->curve().points()[1].bend == Approx(0.05));
  // Typed numbers.
  rig.type(lane->field("value"), "35");
  CHECK(lane->curve().points()[1].y == 35);
  rig.type(lane->field("beat"), "0.5");
  CHECK(lane->curve().points()[1].x == 0.5);
  rig.type(lane->field("bend"), "-0.4");
  CHECK(lane->curve().points()[1].bend == Approx(-0.4));
  CHECK(curveOf(rig.ornament(id), "send_percent") == lane->curve());
  // Copied, undone to nothing, pasted.
  lane->setFocus();
  rig.key(Qt::Key_C, Qt::ControlModifier);
  const Curve drawn = lane->curve();
  CHECK(QApplication::clipboard()->text().startsWith("[["));
  rig.key(Qt::Key_Delete);
  CHECK(lane->curve().points().size() == 1);
  rig.key(Qt::Key_V, Qt::ControlModifier);
  CHECK(lane->curve() == drawn);
  // What cannot be a curve here is refused with a word, and changes nothing.
  QApplication::clipboard()->setText("[[0, 500], [1, 20]]");
  rig.key(Qt::Key_V, Qt::ControlModifier);
  CHECK(lane->curve() == drawn);
  CHECK(rig.window->measure().said().contains("no curve"));
  QApplication::clipboard()->setText("hello");
  rig.key(Qt::Key_V, Qt::ControlModifier);
  CHECK(lane->curve() == drawn);
}

TEST_CASE("the axis of a curve fits it, points keep apart, a send is nothing after its word", "[open]") {
  SmallSongRig rig;
  const std::string tape = rig.placeOpen("tape", "keys", 12, 16);
  rig.session->edit("shape", withSetting(withSetting(rig.session->song(), tape, "shape", "custom"), tape, "speed",
                                         Curve(std::vector<CurvePoint>{{0, 1, 0}, {1, 0, 0}}).value()));
  rig.settle();
  rig.score().setFocus();
  rig.key(Qt::Key_C);
  CurveLane* lane = rig.score().opened().lane();
  REQUIRE(lane);
  CHECK(lane->target().key == "speed");
  // From −1 to 1: standstill lies half way between the two.
  const double up = lane->pointAt(0).y(), still = lane->pointAt(1).y();
  CHECK(up == Approx(scaled(44)).margin(1));
  CHECK(still == Approx((scaled(44) + lane->height() - scaled(22)) / 2.0).margin(1.5));
  // Typed beyond it shows more.
  rig.type(lane->field("value"), "250"); // percent of the row's own speed
  CHECK(lane->pointAt(0).y() > up + 3);
  CHECK(lane->pointAt(0).y() < lane->pointAt(1).y());
  lane->setFocus();
  rig.key(Qt::Key_Escape);
  CHECK_FALSE(rig.score().opened().lane());
  // On the grid a point comes near its neighbour and no nearer; with Shift both stand at one place.
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  rig.session->edit("send", withSetting(rig.session->song(), id, "send_percent",
                                        Curve(std::vector<CurvePoint>{{0.25, 20, 0}, {0.75, 90, 0}}).value()));
  rig.settle();
  rig.score().opened().openCurve("send_percent");
  lane = rig.score().opened().lane();
  REQUIRE(lane);
  const QPoint second = lane->pointAt(1).toPoint(), first = lane->pointAt(0).toPoint();
  rig.drag(lane, second, {first.x() - 60, second.y()});
  REQUIRE(lane->curve().points().size() == 2);
  CHECK(lane->curve().points()[1].x == Approx(0.25 + 1.0 / 32));
  rig.drag(lane, lane->pointAt(1).toPoint(), {first.x() - 60, second.y()}, Qt::ShiftModifier);
  CHECK(lane->curve().points()[1].x == 0.25);
  // Nothing is sent after the word: no point stands there, and the line lies at nothing.
  rig.drag(lane, lane->pointAt(1).toPoint(), {first.x() + 3000, second.y()});
  CHECK(lane->curve().points()[1].x == 1.5);
  rig.settle();
  const QImage picture = lane->grab().toImage();
  const double beyond = rig.score().axis().xOf(Beats::ofQuarters(10)) - lane->x();
  const int foot = lane->height() - scaled(22);
  CHECK(pixelsNear(picture, QRect(static_cast<int>(beyond), foot - 2, 20, 4), paper().ink, 90) >= 20);
}

TEST_CASE("a collision is drawn with its answers, and one press of each is enough or is offered again", "[open]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir)); // the voice comes again at 16, after a word at 12
  const std::string id = rig.place("delay-throw", "voice", 12, 13);
  rig.session->edit("loud",
                    withSetting(withSetting(rig.session->song(), id, "feedback_percent", 85.0), id, "duck_db", 0.0));
  const Song collides = rig.session->song();
  rig.score().opened().open(id);
  rig.settle();
  REQUIRE(rig.session->rows().chosen());
  REQUIRE_FALSE(rig.session->rows().chosen()->collisions.empty());
  Answers& answers = rig.score().opened().row()->answers();
  CHECK(answers.isVisible());
  CHECK(rig.score().openArea().contains(answers.geometry()));
  for (const auto a : {CollisionAnswer::duck, CollisionAnswer::cut, CollisionAnswer::shorten}) {
    rig.session->edit("again", collides);
    rig.settle();
    for (int press = 0; press < 3 && answers.button(a)->isVisible(); ++press) {
      QTest::mouseClick(answers.button(a), Qt::LeftButton);
      rig.settle();
    }
    INFO(static_cast<int>(a));
    // The next phrase, at 16, is met no more.
    for (const Collision& c : rig.session->rows().chosen()->collisions)
      CHECK(c.frames.begin > rig.session->plan()->map().frameAt(Beats::ofQuarters(17.5)));
  }
  CHECK(rig.session->history().undoLabel().find("of delay throw") != std::string::npos);
}

TEST_CASE("what covers another row is marked on that row, and answered at one press that one undo takes back",
          "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  // Its echoes loud over the keys, and gone before the voice comes again.
  Ornament loud = rig.ornament(id);
  loud.settings = {{"feedback_percent", 40.0}, {"cut_at", 3.0}};
  loud.finish.clear();
  loud.gainDb = 6;
  rig.session->edit("loud",
                    withRowMix(withOrnamentReplaced(rig.session->song(), loud), "keys", {-20, 0, false, false}));
  rig.settle();
  const Song covers = rig.session->song();
  REQUIRE(rig.session->rows().chosen());
  REQUIRE(rig.session->rows().chosen()->collisions.empty());
  const auto over = [&](const char* row) -> std::optional<Collision> {
    for (const Collision& c : rig.session->rows().chosen()->over)
      if (c.row == row) return c;
    return std::nullopt;
  };
  REQUIRE(over("keys"));
  const Collision keys = *over("keys");
  CHECK(keys.db > 0);
  const QRect staff = rig.score().staffOf("keys");
  const auto marked = [&] {
    rig.settleView();
    const TimeAxis& axis = rig.score().axis();
    const TempoMap& map = rig.session->plan()->map();
    const int from = static_cast<int>(axis.xOf(map.beatAt(keys.frames.begin))),
              to = static_cast<int>(axis.xOf(map.beatAt(keys.frames.end)));
    return pixelsNear(rig.score().grab().toImage(),
                      QRect(from, staff.top(), std::max(to - from, 1), staff.height() + scaled(14)), paper().warning,
                      150);
  };
  const int hatched = marked();
  CHECK(hatched > 60);
  Answers& answers = rig.score().opened().row()->answers();
  CHECK(answers.isVisible());
  CHECK(answers.what().contains(
      QString::fromStdString(rig.session->song().rowName(rig.session->rows().chosen()->over.front().row))));
  for (const auto a : {CollisionAnswer::duck, CollisionAnswer::thin, CollisionAnswer::pan}) {
    INFO(static_cast<int>(a));
    if (!answers.button(a)->isVisible()) continue;
    const std::string first = rig.session->rows().chosen()->over.front().row;
    const double was = over(first.c_str())->db;
    QTest::mouseClick(answers.button(a), Qt::LeftButton);
    rig.settle();
    CHECK((!over(first.c_str()) || over(first.c_str())->db < was - 3));
    rig.session->undo();
    rig.settle();
    CHECK(rig.session->song() == covers);
  }
  CHECK(answers.button(CollisionAnswer::duck)->isVisible());
  CHECK(answers.button(CollisionAnswer::pan)->isVisible());
  rig.score().opened().close();
  CHECK(marked() < hatched / 4); // of the open one alone
}

TEST_CASE("alone plays only what the open ornament adds", "[open]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  QTest::mouseClick(rig.score().opened().row()->title().alone(), Qt::LeftButton);
  CHECK(rig.session->playback().alone());
  const auto node = rig.session->plan()->node(id);
  rig.session->player().play(Frames(0)); // four bars before: silence
  CHECK(largest(rig.hear(24000)) < 1e-5f);
  rig.session->player().play(rig.session->plan()->map().frameAt(Beats::ofQuarters(9)));
  CHECK(largest(rig.hear(48000)) > 0.01f);
  rig.score().setFocus();
  rig.key(Qt::Key_O);
  CHECK_FALSE(rig.session->playback().alone());
  rig.session->player().play(Frames(0));
  rig.hear(4800);
  CHECK(largest(rig.hear(24000)) > 0.05f);
}
