// Cells in the window: a chord that pulses, by mouse and by keys, through the song it makes and the sound that comes
// out.
#include "app/openrow/pattern_line.h"
#include "ornaments/pulse.h"
#include "rig.h"
#include "song/edits.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

std::vector<double> listOf(const Ornament& o, const char* key) {
  std::vector<double> all;
  if (const auto it = o.settings.find(key); it != o.settings.end())
    for (const Value& v : *it->second.list()) all.push_back(*v.number());
  return all;
}

/// The middle of a cell, across.
double cellX(Rig& rig, std::int64_t k) {
  const auto plan = rig.session->plan();
  const FrameRange f = plan->node(last(rig).id)->kind->cells({last(rig), plan->context()})->frames(k);
  return rig.score().axis().xOf(plan->map().beatAt(f.begin + Frames(f.length() / 2)));
}

/// The middle of a cell in the open row, so far up (1) or down (−1) from the middle line.
QPoint cell(Rig& rig, int k, double up) {
  const QRectF all = rig.score().opened().handleRect(QStringLiteral("cells"));
  return QPointF(cellX(rig, k), all.center().y() - up * all.height() / 2).toPoint();
}

/// The middle of a cell in one of its narrow lanes, so far down (1) or up (−1) from the lane's middle.
QPoint inLane(Rig& rig, const char* lane, int k, double down) {
  const QRectF all = rig.score().opened().handleRect(QString::fromLatin1(lane));
  return QPointF(cellX(rig, k), all.center().y() + down * 0.6 * all.height()).toPoint();
}

void giveEcho(Rig& rig, const Settings& settings) {
  Ornament o = last(rig);
  o.finish = {{"echo", settings}};
  rig.session->edit(QStringLiteral("echo"), withOrnamentReplaced(rig.session->song(), o));
}

/// Sums of the magnitudes of a print in one cell.
std::pair<double, double> loudIn(Rig& rig, std::int64_t k) {
  const auto plan = rig.session->plan();
  const auto node = plan->node(last(rig).id);
  REQUIRE(node->print->ensure(*plan, *node));
  const FrameRange frames = node->kind->cells({last(rig), plan->context()})->frames(k);
  StereoBuffer b(frames.length());
  node->print->addTo(frames.begin, b.span());
  std::pair<double, double> sum;
  for (std::int64_t i = 0; i < b.frames(); ++i) {
    sum.first += std::abs(static_cast<double>(b.left()[i]));
    sum.second += std::abs(static_cast<double>(b.right()[i]));
  }
  return sum;
}

} // namespace

TEST_CASE("a chord pulses, every third step silent and the sides apart: four actions", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.select("keys", 12, 16); // 1
  rig.key(Qt::Key_P);         // 2
  rig.settle();
  rig.key(Qt::Key_P);                    // 3
  rig.key(Qt::Key_S, Qt::ShiftModifier); // 4
  rig.settle();
  CHECK(last(rig).kind == "pulse");
  CHECK(*last(rig).settings.at("length_percent").number() == 60);
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 1, 0});
  const std::vector<double> pans = listOf(last(rig), "pans");
  REQUIRE(pans.size() == 3);
  // It is heard: the first step to the left, the second to the right, the third not at all.
  CHECK(loudIn(rig, 0).first > 1.5 * loudIn(rig, 0).second);
  CHECK(loudIn(rig, 1).second > 1.5 * loudIn(rig, 1).first);
  CHECK(loudIn(rig, 2).first + loudIn(rig, 2).second == 0);
  // Echoes of its own for each side come through the finish.
  giveEcho(rig, {{"time_left", "1/8"}, {"time_right", "1/4"}});
  rig.settle();
  CHECK(loudIn(rig, 2).first > 0);
}

TEST_CASE("the sides of cells are painted in their lane, down for the right", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.placeOpen("pulse", "keys", 12, 16);
  rig.drag(&rig.score(), inLane(rig, "sides", 0, -1), inLane(rig, "sides", 7, 1));
  rig.settle();
  const std::vector<double> pans = listOf(last(rig), "pans");
  REQUIRE(pans.size() == 16);
  CHECK(pans[0] <= -0.7);
  CHECK(pans[7] >= 0.7);
  for (std::size_t k = 1; k < 8; ++k) CHECK(pans[k] >= pans[k - 1]);
  CHECK(pans[8] == 0);
}

TEST_CASE("cells are painted in one go and one step of undo, and one by one by keys", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const std::string id = rig.placeOpen("pulse", "keys", 12, 16);
  rig.drag(&rig.score(), cell(rig, 2, 0.0), cell(rig, 4, 0.0));
  rig.settle();
  std::vector<double> levels = listOf(last(rig), "levels");
  REQUIRE(levels.size() == 16);
  for (std::size_t k = 0; k < 16; ++k) CHECK(levels[k] == (k >= 2 && k <= 4 ? 0 : 1));
  rig.drag(&rig.score(), cell(rig, 8, 0.5), cell(rig, 8, 0.5));
  rig.settle();
  CHECK(listOf(last(rig), "levels")[8] == Approx(0.5).margin(0.101)); // a tenth is a step
  rig.session->undo();
  rig.session->undo();
  CHECK(listOf(last(rig), "levels").empty());
  rig.score().setFocus();
  for (int i = 0; i < 12 && rig.score().opened().activeHandle() != "cells"; ++i) rig.key(Qt::Key_N);
  REQUIRE(rig.score().opened().activeHandle() == "cells");
  for (int i = 0; i < 3; ++i) rig.key(Qt::Key_Right);
  rig.key(Qt::Key_Down);
  rig.key(Qt::Key_Down);
  rig.key(Qt::Key_Left);
  rig.key(Qt::Key_Down);
  rig.settle();
  levels = listOf(last(rig), "levels");
  REQUIRE(levels.size() == 16);
  for (std::size_t k = 0; k < 16; ++k) CHECK(levels[k] == Approx(k == 3 ? 0.8 : k == 2 ? 0.9 : 1));
  rig.key(Qt::Key_N); // the next lane, at the same cell
  REQUIRE(rig.score().opened().activeHandle() == "sides");
  for (int i = 0; i < 5; ++i) rig.key(Qt::Key_Up);
  rig.settle();
  CHECK(listOf(last(rig), "pans")[2] == Approx(-0.5));
}

TEST_CASE("a word becomes a run of repeats on the click with an echo behind it: three actions", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.select("voice", 8, 10); // the word begins at 8.0 beats; selecting it is where the count begins
  rig.key(Qt::Key_U);         // 1
  rig.settle();
  rig.key(Qt::Key_U); // 2
  rig.settle();
  CHECK(last(rig).kind == "stutter");
  CHECK(*last(rig).settings.at("slice").text() == "1/8");
  giveEcho(rig, {}); // 3: from the finish's menu
  rig.settle();
  const auto plan = rig.session->plan();
  const auto node = plan->node(last(rig).id);
  REQUIRE(node->print->ensure(*plan, *node));
  // Each repeat is loud from its click on, and an echo is left after the last one.
  for (int k = 0; k < 4; ++k) {
    const Frames at = plan->map().frameAt(last(rig).start + Beats::ofQuarters(0.5 * k));
    StereoBuffer b(2400);
    node->print->addTo(at, b.span());
    CHECK(largest(b) > 0.02f);
  }
  StereoBuffer after(12000);
  node->print->addTo(plan->map().frameAt(last(rig).span().end) + Frames(4800), after.span());
  CHECK(largest(after) > 0.001f);
}

TEST_CASE("a shoulder is pulled for all cells, with Ctrl for one, and goes along when the pattern is turned",
          "[cells]") {
  SmallSongRig rig;
  rig.placeOpen("pulse", "keys", 12, 14);
  const auto shape = [&] { return PulseShape({last(rig), rig.session->plan()->context()}); };
  const PulseShape::Step first = shape().step(0), third = shape().step(2);
  // A quarter into the third cell, and half of the row's half up: it comes in until there, more bent.
  const QRectF all = rig.score().opened().handleRect(QStringLiteral("cells"));
  const double from = cellX(rig, 2) - 0.4 * all.width() / 8, to = cellX(rig, 2) - 0.25 * all.width() / 8;
  rig.drag(&rig.score(), QPointF(from, all.center().y()).toPoint(),
           QPointF(to, all.center().y() - all.height() / 4).toPoint(), Qt::ControlModifier);
  rig.settle();
  CHECK(shape().step(2).fadeIn == Approx(0.25 * static_cast<double>(third.length)).margin(0.04 * 6000));
  CHECK(shape().step(2).bendIn == Approx(third.bendIn - 0.5).margin(0.1));
  CHECK(shape().step(2).fadeOut == third.fadeOut);
  CHECK(shape().step(0).fadeIn == first.fadeIn);
  CHECK(shape().step(3).fadeIn == first.fadeIn);
  rig.key(Qt::Key_R, Qt::ShiftModifier);
  rig.settle();
  CHECK(shape().step(2).fadeIn == first.fadeIn);
  CHECK(shape().step(3).fadeIn == Approx(0.25 * static_cast<double>(third.length)).margin(0.04 * 6000));
  // Without Ctrl the ring on the first cell is for all that have none of their own.
  rig.drag(&rig.score(), rig.score().opened().handleRect(QStringLiteral("out")).center().toPoint(),
           rig.score().opened().handleRect(QStringLiteral("out")).center().toPoint() -
               QPoint(int(0.1 * all.width() / 8), 0));
  rig.settle();
  for (const std::int64_t k : {0, 1, 2}) CHECK(shape().step(k).fadeOut > first.fadeOut + 300);
}

TEST_CASE("a stutter's cells are silenced, pitched, leaned and turned round by one gesture each, by mouse", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.placeOpen("stutter", "voice", 8, 12);
  const auto at = [&](const char* key, std::size_t k) { return (*last(rig).settings.at(key).list())[k]; };
  rig.drag(&rig.score(), cell(rig, 3, 0), cell(rig, 3, 0));
  CHECK(at("gains_db", 3).isNull());
  rig.drag(&rig.score(), inLane(rig, "pitches", 5, 0), inLane(rig, "pitches", 5, -1.5));
  CHECK(*at("pitches", 5).number() >= 7);
  rig.drag(&rig.score(), inLane(rig, "sides", 6, 1), inLane(rig, "sides", 6, 1));
  CHECK(*at("pan_pattern", 6).number() >= 0.8);
  rig.drag(&rig.score(), inLane(rig, "directions", 1, 0), inLane(rig, "directions", 2, 0));
  CHECK(*at("reversed", 1).boolean());
  CHECK(*at("reversed", 2).boolean());
  CHECK_FALSE(*at("reversed", 3).boolean());
  CHECK(at("gains_db", 3).isNull());
}

TEST_CASE("a stutter's cells are cut and joined by wheel, by drawing across, and by keys alone", "[cells]") {
  SmallSongRig rig;
  rig.placeOpen("stutter", "voice", 8, 12);
  const Ornament placed = last(rig);
  const auto lengths = [&] {
    const auto plan = rig.session->plan();
    const auto cells = plan->node(last(rig).id)->kind->cells({last(rig), plan->context()});
    std::vector<std::string> all;
    for (std::int64_t k = 0; k < cells->end(); ++k) all.push_back(cells->lengthText(k));
    return all;
  };
  turnWheel(rig.score(), cell(rig, 3, 0.2), 120); // finer under the mouse
  rig.settle();
  REQUIRE(lengths().size() == 17);
  CHECK(lengths()[3] == "1/32");
  CHECK(lengths()[4] == "1/32");
  CHECK(lengths()[5] == "1/16");
  turnWheel(rig.score(), cell(rig, 3, 0.2), -120); // and coarser
  rig.settle();
  CHECK(last(rig) == placed);
  // A press in their lane cuts one; drawn across, those gone over are one.
  rig.drag(&rig.score(), inLane(rig, "lengths", 2, 0), inLane(rig, "lengths", 2, 0));
  rig.settle();
  CHECK(lengths()[2] == "1/32");
  rig.drag(&rig.score(), inLane(rig, "lengths", 6, 0), inLane(rig, "lengths", 9, 0));
  rig.settle();
  REQUIRE(lengths().size() == 14);
  CHECK(lengths()[6] == "1/4");
  // One undo step for each.
  rig.session->undo();
  rig.session->undo();
  CHECK(last(rig) == placed);
  // By keys: to the lane, to the cell, up is finer, down joins with the next.
  for (int i = 0; i < 12 && rig.score().opened().activeHandle() != "lengths"; ++i) rig.key(Qt::Key_N);
  REQUIRE(rig.score().opened().activeHandle() == "lengths");
  rig.key(Qt::Key_Right);
  rig.key(Qt::Key_Up);
  rig.settle();
  CHECK(lengths()[1] == "1/32");
  CHECK(lengths()[2] == "1/32");
  CHECK(lengths()[3] == "1/16");
  rig.key(Qt::Key_Down);
  rig.key(Qt::Key_Down);
  rig.settle();
  CHECK(lengths()[1] == "1/8");
  CHECK(lengths().size() == 15);
}

TEST_CASE("no words stand on the cells: the measure line says what the keys are on", "[cells]") {
  SmallSongRig rig;
  for (const char* kind : {"stutter", "pulse", "glitch"}) {
    rig.placeOpen(kind, "voice", 8, 12);
    rig.settle();
    for (int i = 0; i < 12 && rig.score().opened().activeHandle() != "cells"; ++i) rig.key(Qt::Key_N);
    REQUIRE(rig.score().opened().activeHandle() == "cells");
    int lanes = 0;
    for (const OpenHandle& h : rig.score().opened().handles())
      if (h.stepCell) {
        ++lanes;
        CHECK(h.shown == OpenHandle::Label::never);
        CHECK_FALSE(h.label.isEmpty());
      }
    CHECK(lanes >= 1);
    CHECK(rig.window->measure().said().contains("cell 1"));
    rig.key(Qt::Key_Escape);
  }
}

TEST_CASE("the attack of a stutter is shown and moved by a sample", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.placeOpen("stutter", "voice", 8, 10);
  rig.settle();
  REQUIRE(rig.session->rows().chosen());
  REQUIRE(rig.session->rows().chosen()->taken);
  const std::int64_t before = rig.session->rows().chosen()->taken->at.count;
  rig.score().setFocus();
  for (int i = 0; i < 16 && rig.score().opened().activeHandle() != "taken"; ++i) rig.key(Qt::Key_N);
  REQUIRE(rig.score().opened().activeHandle() == "taken");
  rig.key(Qt::Key_Right);
  rig.key(Qt::Key_Right);
  rig.settle();
  CHECK(rig.session->rows().chosen()->taken->at.count == before + 2);
  const QRectF box = rig.score().opened().handleRect(QStringLiteral("taken"));
  rig.drag(&rig.score(), box.center().toPoint(), (box.center() - QPointF(box.width() / 4, 0)).toPoint());
  rig.settle();
  // A quarter of 24 ms later.
  CHECK(static_cast<double>(rig.session->rows().chosen()->taken->at.count - before) / 48 == Approx(6).margin(0.3));
}

TEST_CASE("a glitch is rolled three times and kept, and its cells are there to be edited", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.select("drums", 8, 16);
  for (int i = 0; i < 4; ++i) {
    rig.key(Qt::Key_G);
    rig.settle();
  }
  CHECK(last(rig).kind == "glitch");
  CHECK(last(rig).seed == 4);
  const auto plan = rig.session->plan();
  const auto node = plan->node(last(rig).id);
  REQUIRE(node->print->ensure(*plan, *node));
  const auto heard = [](const OrnamentNode& n) {
    StereoBuffer b(n.plan.extent.length());
    n.print->addTo(n.plan.extent.begin, b.span());
    return b;
  };
  const StereoBuffer rolled = heard(*node);
  rig.key(Qt::Key_G, Qt::ShiftModifier);
  rig.settle();
  CHECK_FALSE(last(rig).settings.at("kept_ms").isNull());
  const auto kept = rig.session->plan();
  REQUIRE(kept->node(last(rig).id)->print->ensure(*kept, *kept->node(last(rig).id)));
  CHECK(heard(*kept->node(last(rig).id)) == rolled);
  rig.key(Qt::Key_G); // there is nothing to roll any more, and it says so
  CHECK(last(rig).seed == 4);
  CHECK(rig.window->measure().said().contains("roll is locked"));
  rig.key(Qt::Key_G, Qt::ShiftModifier);
  CHECK_FALSE(last(rig).settings.contains("kept_ms"));
}

TEST_CASE("the tools for patterns work by key and by word, and a pattern goes from kind to kind", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.placeOpen("pulse", "keys", 12, 16);
  rig.key(Qt::Key_P, Qt::ShiftModifier);
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0});
  rig.key(Qt::Key_P, Qt::ShiftModifier);
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 0});
  rig.key(Qt::Key_R, Qt::ShiftModifier);
  CHECK(listOf(last(rig), "levels")[1] == 1);
  rig.key(Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
  rig.key(Qt::Key_X, Qt::ShiftModifier);
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 1, 0});
  rig.key(Qt::Key_X, Qt::ShiftModifier);
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 1, 1, 0});
  rig.key(Qt::Key_H, Qt::ShiftModifier);
  CHECK(sounding(*patternOf(*rig.session, last(rig).id)) <= 2);
  rig.key(Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
  const Pattern copied = *patternOf(*rig.session, last(rig).id);
  rig.placeOpen("stutter", "voice", 8, 12);
  rig.key(Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
  const Pattern given = *patternOf(*rig.session, last(rig).id);
  REQUIRE(given.size() == copied.size());
  for (std::size_t i = 0; i < given.size(); ++i) CHECK(given[i].level == Approx(copied[i].level).margin(0.01));
}

TEST_CASE("a riser climbs to a landing over four bars with an impact: three keys and no selection", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.score().setFocus();
  rig.score().goToLanding(std::string("c"));
  rig.settleView();
  rig.key(Qt::Key_I); // 1
  rig.settle();
  CHECK(last(rig).kind == "riser");
  CHECK(last(rig).landing == "c");
  CHECK(last(rig).length == Beats::ofQuarters(8));
  CHECK(last(rig).span().end == Beats::ofQuarters(32));
  rig.key(Qt::Key_I); // 2
  rig.settle();
  CHECK(last(rig).length == Beats::ofQuarters(16));
  CHECK(last(rig).span().end == Beats::ofQuarters(32));
  rig.key(Qt::Key_J, Qt::ShiftModifier); // 3
  rig.settle();
  CHECK(*last(rig).settings.at("hit_db").number() == -6);
  // It is heard in the player's mix: something climbs before the landing, and it is struck on it.
  const auto plan = rig.session->plan();
  const auto node = plan->node(last(rig).id);
  REQUIRE(node->print->ensure(*plan, *node));
  const auto peak = [&](double quarters) {
    StereoBuffer b(4800);
    node->print->addTo(plan->map().frameAt(Beats::ofQuarters(quarters)), b.span());
    return largest(b);
  };
  CHECK(peak(31.7) > 4 * peak(20));
  CHECK(peak(32) == Approx(0.5).epsilon(0.02));
}

TEST_CASE("a riser's lines are drawn by their ends and bent by their middles", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const std::string id = rig.placeOpen("riser", "keys", 24, 32);
  rig.session->edit(QStringLiteral("of"), withSetting(rig.session->song(), id, "of", "tone"));
  rig.settle();
  const auto middle = [&](const char* name) {
    return rig.score().opened().handleRect(QString::fromLatin1(name)).center().toPoint();
  };
  const auto pair = [&](const char* key) { return *last(rig).settings.at(key).list(); };
  rig.drag(&rig.score(), middle("brightness-end"), middle("brightness-end") + QPoint(0, 30));
  CHECK(*pair("cutoff_hz")[1].number() < 8000);
  CHECK(*pair("cutoff_hz")[0].number() == 200);
  rig.drag(&rig.score(), middle("pitch-begin"), middle("pitch-begin") + QPoint(0, -20));
  CHECK(*pair("pitch_semitones")[0].number() > -10);
  rig.drag(&rig.score(), middle("level-bend"), middle("level-bend") + QPoint(0, -25));
  CHECK(*last(rig).settings.at("bend").number() < 0.2);
  CHECK_FALSE(last(rig).settings.contains("pitch_bend"));
  rig.drag(&rig.score(), middle("pitch-bend"), middle("pitch-bend") + QPoint(0, 15));
  CHECK(last(rig).settings.contains("pitch_bend"));
}

TEST_CASE("Return in a number gives the keys back to the score", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  rig.placeOpen("pulse", "keys", 12, 16);
  NumberField* field = rig.score().opened().row()->field("depth_percent");
  field->setFocus();
  rig.key(Qt::Key_8);
  rig.key(Qt::Key_0);
  rig.key(Qt::Key_Return);
  rig.settle();
  CHECK(*last(rig).settings.at("depth_percent").number() == 80);
  CHECK(rig.score().hasFocus());
  rig.key(Qt::Key_3); // variant C now, and not a number
  rig.settle();
  CHECK(last(rig).variant == "C");
  CHECK(*last(rig).settings.at("depth_percent").number() == 80);
}

TEST_CASE("the same by keys alone: a word, a chord, drums", "[cells]") {
  const TempFolder dir;
  Rig rig;
  rig.open(writeSmallSong(dir));
  const auto selectByKeys = [&](const std::string& row, int from, int steps) { // sixteenths
    rig.key(Qt::Key_Escape);
    rig.key(Qt::Key_Escape);
    rig.settleView();
    rig.score().setFocus();
    rig.key(Qt::Key_Home);
    for (int i = 0; i < 8; ++i) rig.key(Qt::Key_Up);
    for (int i = 0; i < 8 && rig.score().caret().row() != row; ++i) rig.key(Qt::Key_Down);
    REQUIRE(rig.score().caret().row() == row);
    for (int i = 0; i < from; ++i) rig.key(Qt::Key_Right);
    for (int i = 0; i < steps; ++i) rig.key(Qt::Key_Right, Qt::ShiftModifier);
    REQUIRE(rig.score().selection());
  };
  const auto press = [&](Qt::Key k, Qt::KeyboardModifiers m = {}) {
    rig.key(k, m);
    rig.settle();
  };
  selectByKeys("voice", 4, 4); // the word from beat 1 to 2
  press(Qt::Key_U);
  press(Qt::Key_U);
  CHECK(last(rig).kind == "stutter");
  CHECK(last(rig).start == Beats::ofQuarters(1));
  CHECK(*last(rig).settings.at("slice").text() == "1/8");
  selectByKeys("keys", 0, 16);
  press(Qt::Key_P);
  press(Qt::Key_P);
  press(Qt::Key_S, Qt::ShiftModifier);
  CHECK(last(rig).kind == "pulse");
  CHECK(listOf(last(rig), "levels") == std::vector<double>{1, 1, 0});
  CHECK(listOf(last(rig), "pans").size() == 3);
  selectByKeys("drums", 0, 32);
  for (int i = 0; i < 4; ++i) press(Qt::Key_G);
  press(Qt::Key_G, Qt::ShiftModifier);
  CHECK(last(rig).kind == "glitch");
  CHECK(last(rig).seed == 4);
  CHECK_FALSE(last(rig).settings.at("kept_ms").isNull());
}
