// Space in the window: the swell at one key, its handles, the reverb throw, reverse, treat, and the finish.
#include "app/openrow/curve_lane.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "rig.h"

#include "finish/starting_points.h"
#include "manners/collision_answers.h"
#include "song/curve.h"

#include <catch2/catch.hpp>

#include <QApplication>
#include <QMenu>
#include <QRegularExpression>
#include <QStandardPaths>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

Frames landingOf(const Rig& rig, const std::string& id) {
  const auto node = rig.session->plan()->node(id);
  return *node->kind->landingFrame({*node->ornament, rig.session->plan()->context()});
}

StereoBuffer wholePrint(const Rig& rig, const std::string& id) {
  return printOf(*rig.session->plan(), id);
}

/// The action of a menu, submenus included.
QAction* actionNamed(QMenu* menu, const QString& text) {
  for (QAction* a : menu->actions()) {
    if (a->text() == text) return a;
    if (a->menu())
      if (QAction* found = actionNamed(a->menu(), text)) return found;
  }
  return nullptr;
}

/// Opens the finish's menu by a click on "add" and chooses.
void choose(Rig& rig, const QString& text) {
  FinishLine& line = rig.score().opened().row()->finish();
  QTest::mouseClick(&line, Qt::LeftButton, {}, line.addRect().center());
  const auto menus = line.findChildren<QMenu*>(QStringLiteral("finish-menu"));
  REQUIRE_FALSE(menus.isEmpty());
  QMenu* menu = menus.last(); // closed ones go a little later
  QAction* a = actionNamed(menu, text);
  REQUIRE(a);
  a->trigger();
  menu->close();
  rig.window->activateWindow(); // a popup takes the focus with it offscreen
  static_cast<void>(QTest::qWaitForWindowActive(rig.window.get()));
}

std::vector<std::string> chainOf(const Ornament& o) {
  std::vector<std::string> types;
  for (const Processor& p : o.finish) types.push_back(p.type);
  return types;
}

} // namespace

TEST_CASE("a word and one key: the swell lands on it to the sample, in two actions", "[space][first-use]") {
  SmallSongRig rig;
  int actions = 0;
  rig.select("voice", 12, 13);
  ++actions;
  rig.key(Qt::Key_R);
  ++actions;
  rig.settle();
  CHECK(actions == 2);
  REQUIRE(rig.session->song().ornaments.size() == 1);
  const Ornament o = *rig.session->song().ornaments[0];
  CHECK(o.kind == "reverse-reverb");
  // The landing is the word's first frame, and what is heard there ends within 5 ms.
  const Frames landing = landingOf(rig, o.id);
  CHECK(landing == rig.session->plan()->map().frameAt(Beats::ofQuarters(12)));
  const auto node = rig.session->plan()->node(o.id);
  const StereoBuffer print = wholePrint(rig, o.id);
  CHECK((node->print->first() + Frames(print.frames()) - landing).count == 240);
  // What the stepped output played: the same samples as the plan's mix, swell and all.
  rig.session->player().stop();
  rig.session->player().setLoop(std::nullopt);
  rig.session->player().play(landing - Frames(24000));
  const StereoBuffer heard = rig.hear(48000);
  const StereoBuffer mix = mixOut(*rig.session->plan(), landing.count - 24000, 48000);
  // The swell's own place in what was heard: silent voice before the word, so that the difference to the drums is it.
  double swell = 0, after = 0;
  const StereoBuffer without = [&] {
    Rig bare;
    bare.openReadOnly(rig.dir / "song.ivrin");
    return mixOut(*bare.session->plan(), landing.count - 24000, 48000);
  }();
  for (std::int64_t i = 0; i < 24000; ++i)
    swell = std::max(swell, std::abs(static_cast<double>(mix.left()[i]) - without.left()[i]));
  for (std::int64_t i = 24240; i < 48000; ++i)
    after = std::max(after, std::abs(static_cast<double>(mix.left()[i]) - without.left()[i]));
  CHECK(swell > 0.02);
  CHECK(after < 1e-6);
  CHECK(rmsDb(heard.left() + 2400, 40000) > -40);
  // Its level was measured: between −4 and −12 LU against the word, which lies low.
  REQUIRE(o.finish.size() == 1);
  CHECK(o.finish[0].type == "level");
  CHECK(*o.finish[0].settings.at("offset_lu").number() <= -4);
  CHECK(*o.finish[0].settings.at("offset_lu").number() >= -12);
  CHECK(node->print->levelDb());
}

TEST_CASE("the same key again lands it on the next landing, and back", "[space]") {
  SmallSongRig rig;
  const std::string id = rig.place("reverse-reverb", "voice", 12, 13);
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().placeOnSelection("reverse-reverb");
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 1);
  CHECK(landingOf(rig, id) == rig.session->plan()->map().frameAt(Beats::ofQuarters(16)));
  CHECK(rig.ornament(id).landing == "b"); // and moves with it from now on
  rig.score().select(Selection{"voice", Beats::ofQuarters(12), Beats::ofQuarters(13)});
  rig.score().placeOnSelection("reverse-reverb");
  rig.settle();
  CHECK(landingOf(rig, id) == rig.session->plan()->map().frameAt(Beats::ofQuarters(12)));
  CHECK(rig.session->history().undoLabel() == "landing of reverse reverb");
}

TEST_CASE("the handles of the swell: lead-in, decay, rise, wet, spill and landing", "[space]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 12, 13);
  ScoreView& score = rig.score();
  const double before = setting(rig.ornament(id), "lead_beats");
  const int beat = static_cast<int>(score.axis().pxPerBeat);
  rig.drag(&score, rig.handle("lead"), rig.handle("lead") + QPoint(beat, 0));
  CHECK(setting(rig.ornament(id), "lead_beats") == Approx(before - 1).margin(0.01));
  CHECK(rig.session->history().undoLabel() == "lead-in of reverse reverb");
  rig.settle();
  // Lower at the same place: it falls faster.
  rig.drag(&score, rig.handle("decay"), rig.handle("decay") + QPoint(0, -14));
  rig.settle();
  const Value& slower = rig.ornament(id).settings.at("decay_seconds");
  REQUIRE(slower.number());
  CHECK(*slower.number() > 0.5 * setting(rig.ornament(id), "lead_beats") * 1.05); // than what was fitted
  rig.drag(&score, rig.handle("rise"), rig.handle("rise") + QPoint(0, 12));
  rig.settle();
  CHECK(setting(rig.ornament(id), "rise_bend") > 0);
  const double loud = static_cast<double>(largest(wholePrint(rig, id)));
  // The level stands at its end, so it is taken away first: then wet is heard as it is.
  rig.session->edit("no level", [&] {
    Ornament o = rig.ornament(id);
    o.finish.clear();
    return withOrnamentReplaced(rig.session->song(), o);
  }());
  rig.settle();
  static_cast<void>(loud);
  const double wet = static_cast<double>(largest(wholePrint(rig, id)));
  rig.drag(&score, rig.handle("wet"), rig.handle("wet") + QPoint(0, 25));
  rig.settle();
  CHECK(setting(rig.ornament(id), "wet_db") < -1);
  CHECK(20 * std::log10(static_cast<double>(largest(wholePrint(rig, id))) / wet) ==
        Approx(setting(rig.ornament(id), "wet_db")).margin(0.1));
  rig.drag(&score, rig.handle("spill"), rig.handle("spill") + QPoint(2 * beat, 0));
  rig.settle();
  CHECK(setting(rig.ornament(id), "spill_beats") > 1);
  rig.drag(&score, rig.handle("land"), rig.handle("land") + QPoint(beat, 0));
  rig.settle();
  CHECK(setting(rig.ornament(id), "land") == Approx(1).margin(0.01));
  // The picture: rust before the landing, and the word hatched.
  const QImage image = score.grab().toImage();
  const QRect area = score.openArea();
  const int x = static_cast<int>(score.axis().xOf(Beats::ofQuarters(13)));
  CHECK(pixelsNear(image, QRect(x - beat, area.top(), beat, area.height()), paper().rust, 90) > 200);
}

TEST_CASE("a swell over the former phrase is a collision, and can be ducked, begun later or made steeper", "[space]") {
  SmallSongRig rig;
  // The word from 2.5 follows one that ends on 2: hardly a rest, so the first press is short and ducked, and meets
  // nothing. Drawn out over it and let go, it does.
  const std::string id = rig.placeOpen("reverse-reverb", "voice", 2.5, 4);
  REQUIRE(rig.session->rows().chosen());
  CHECK(rig.session->rows().chosen()->collisions.empty());
  CHECK(setting(rig.ornament(id), "lead_beats") == 1);
  Ornament longer = rig.ornament(id);
  longer.settings["lead_beats"] = 2.5;
  longer.finish = {{"level", {{"offset_lu", -6.0}}}};
  rig.session->edit("longer", withOrnamentReplaced(rig.session->song(), longer));
  rig.settle();
  REQUIRE(rig.session->rows().chosen());
  REQUIRE_FALSE(rig.session->rows().chosen()->collisions.empty());
  const Collision hit = rig.session->rows().chosen()->collisions.front();
  CHECK(hit.frames.end <= landingOf(rig, id));
  const Kind& kind = *allKinds().find("reverse-reverb");
  const Ornament o = rig.ornament(id);
  const Placed placed{o, rig.session->plan()->context()};
  for (const auto answer : {CollisionAnswer::duck, CollisionAnswer::cut, CollisionAnswer::shorten}) {
    const auto better = answered(kind, placed, answer, hit);
    REQUIRE(better);
    rig.session->edit("answer", withOrnamentReplaced(rig.session->song(), *better));
    rig.settle();
    INFO(static_cast<int>(answer));
    const auto& left = rig.session->rows().chosen()->collisions;
    // What is left lies at the phrase's end, where it fades.
    CHECK((left.empty() || left.front().frames.length() < hit.frames.length() / 2));
    rig.session->undo();
    rig.settle();
  }
}

TEST_CASE("reverb throw, reverse and treat have their handles", "[space]") {
  SmallSongRig rig;
  ScoreView& score = rig.score();
  {
    const std::string id = rig.place("reverb-throw", "voice", 8, 9.5);
    score.opened().open(id);
    rig.settle();
    const double decay = setting(rig.ornament(id), "decay_seconds");
    const std::int64_t long_ = wholePrint(rig, id).frames();
    rig.drag(&score, rig.handle("decay"), rig.handle("decay") - QPoint(20, 0));
    rig.settle();
    CHECK(setting(rig.ornament(id), "decay_seconds") < decay);
    CHECK(wholePrint(rig, id).frames() < long_);
    rig.drag(&score, rig.handle("cut"),
             QPoint(static_cast<int>(score.axis().xOf(Beats::ofQuarters(10))), rig.handle("cut").y()));
    rig.settle();
    CHECK(*rig.ornament(id).settings.at("cut_at").number() == Approx(2).margin(0.01));
    CHECK(wholePrint(rig, id).frames() == 2 * 24000);
    score.opened().close();
    rig.settleView();
  }
  {
    const std::string id = rig.place("reverse", "voice", 24, 26);
    score.opened().open(id);
    rig.settle();
    rig.drag(&score, rig.handle("fade"), rig.handle("fade") + QPoint(static_cast<int>(score.axis().pxPerBeat), 0));
    rig.settle();
    CHECK(setting(rig.ornament(id), "fade_in_beats") == Approx(1).margin(0.01));
    rig.drag(&score, rig.handle("land"),
             QPoint(static_cast<int>(score.axis().xOf(Beats::ofQuarters(24))), rig.handle("land").y()));
    rig.settle();
    CHECK(landingOf(rig, id) == rig.session->plan()->map().frameAt(Beats::ofQuarters(24)));
    score.opened().close();
    rig.settleView();
  }
  const std::string id = rig.place("treat", "drums", 12, 13);
  CHECK(textSetting(rig.ornament(id), "dry") == "keep");
  // 30 %, or more where it would not be heard in the mix.
  CHECK(setting(rig.ornament(id), "mix_percent") >= 30);
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"reverb"});
  score.opened().open(id);
  rig.settle();
  CHECK(wholePrint(rig, id).frames() > 24000 + 12000); // the tail over what follows
  rig.drag(&score, rig.handle("mix"), rig.handle("mix") - QPoint(0, 20));
  CHECK(setting(rig.ornament(id), "mix_percent") > 35);
}

TEST_CASE("the finish: added, opened, shaped, moved and taken away by mouse and by keys", "[space][finish]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  OpenRow& row = *rig.score().opened().row();
  FinishLine& line = row.finish();
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"level"});
  choose(rig, "Filter");
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"filter", "level"}); // the level keeps the last word
  CHECK(rig.session->history().undoLabel() == "filter of delay throw");
  rig.settle();
  REQUIRE(row.finishPanel().isVisible());
  CHECK(row.finishPanel().index() == 0);
  // Its drawing over the measured spectrum; the low cut pulled up an octave or more.
  REQUIRE(rig.session->rows().spectra());
  CHECK(rig.session->rows().spectra()->before.size() == 96);
  const double cut = *rig.ornament(id).finish[0].settings.at("low_cut_hz").number();
  const StereoBuffer full = wholePrint(rig, id);
  const QPoint low = row.finishPanel().handleRect("low").center().toPoint();
  rig.drag(&row.finishPanel(), low, low + QPoint(90, 0));
  rig.settle();
  CHECK(*rig.ornament(id).finish[0].settings.at("low_cut_hz").number() > 2 * cut);
  CHECK(rig.session->rows().spectra()->after[30] < rig.session->rows().spectra()->before[30] - 3); // 173 Hz
  // By its number, typed.
  rig.type(row.finishPanel().field("low_cut_hz"), "1000");
  CHECK(*rig.ornament(id).finish[0].settings.at("low_cut_hz").number() == 1000);
  // A second one, moved before the first by a drag of its mark.
  choose(rig, "Width");
  REQUIRE(chainOf(rig.ornament(id)) == std::vector<std::string>{"filter", "width", "level"});
  rig.drag(&line, line.markRect(1).center(), line.markRect(0).center() - QPoint(20, 0));
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"width", "filter", "level"});
  // By keys: along the line, open, close, away.
  line.setFocus();
  QTest::keyClick(&line, Qt::Key_Right);
  QTest::keyClick(&line, Qt::Key_Right);
  QTest::keyClick(&line, Qt::Key_Return);
  CHECK(line.opened() == 2);
  rig.settle();
  rig.key(Qt::Key_Escape); // closes the processor, not the row
  CHECK(line.opened() == -1);
  CHECK(rig.score().opened().isOpen());
  line.setFocus();
  QTest::keyClick(&line, Qt::Key_Left, Qt::ControlModifier);
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"width", "level", "filter"});
  QTest::keyClick(&line, Qt::Key_Delete);
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"width", "filter"});
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"width", "level", "filter"});
  // It survives the file.
  rig.save(rig.dir / "song.ivrin");
  rig.open(rig.dir / "song.ivrin");
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"width", "level", "filter"});
}

TEST_CASE("a curve of the finish is drawn in the one editor, freely or point by point", "[space][finish]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("reverb-throw", "voice", 40, 44);
  const auto leaning = [](const StereoBuffer& b) {
    return rmsDb(b.left() + 46000, 4000) - rmsDb(b.right() + 46000, 4000);
  };
  const StereoBuffer straight = wholePrint(rig, id);
  choose(rig, "Pan");
  FinishPanel& panel = rig.score().opened().row()->finishPanel();
  QTest::mouseClick(&panel, Qt::LeftButton, {}, (panel.drawing().topLeft() + QPointF(30, 50)).toPoint());
  CurveLane* lane = rig.score().opened().lane();
  REQUIRE(lane);
  const auto curve = [&] { return *Curve::from(rig.ornament(id).finish[0].settings.at("position")); };
  // Its own axis: two points are asked where they lie, the rest follows.
  const auto place = [&](double beat, double v) {
    const QPointF zero = lane->pointAt(0);
    const double px = rig.score().axis().pxPerBeat;
    const double x = rig.score().axis().xOf(Beats::ofQuarters(40 + beat)) - lane->x();
    static_cast<void>(px);
    const double half = lane->height() - zero.y() - scaled(22); // 0 lies in the middle of −1 to 1
    return QPoint(static_cast<int>(std::lround(x)), static_cast<int>(std::lround(zero.y() - v * half)));
  };
  QTest::mouseClick(lane, Qt::LeftButton, {}, place(2, -0.8));
  REQUIRE(curve().points().size() == 2);
  CHECK(curve().points()[1].x == 2);
  CHECK(curve().points()[1].y == Approx(-0.8).margin(0.06));
  rig.settle();
  // To the left in its middle: a fifth of the right is left, 14 dB.
  CHECK(leaning(wholePrint(rig, id)) - leaning(straight) == Approx(13.8).margin(1.5));
  // Drawn: from one side to the other over two beats, in few points, near the pen all along.
  QTest::mousePress(lane, Qt::LeftButton, {}, place(0.3, 0.9));
  for (int i = 1; i <= 40; ++i) {
    const double u = i / 40.0;
    Rig::moveTo(lane, place(0.3 + 3 * u, 0.9 * std::cos(u * M_PI)));
  }
  QTest::mouseRelease(lane, Qt::LeftButton, {}, place(3.3, -0.9));
  CHECK(curve().points().size() >= 5);
  CHECK(curve().points().size() <= 18);
  for (int i = 2; i < 38; ++i) {
    const double u = i / 40.0;
    CHECK(curve().at(0.3 + 3 * u) == Approx(0.9 * std::cos(u * M_PI)).margin(0.12));
  }
  CHECK(curve().at(0) == Approx(0).margin(0.01)); // what lies outside the stroke stays
  // A moving cutoff, by ratio: half way up lies the middle of 20 Hz and 20 kHz.
  choose(rig, "Filter");
  CHECK_FALSE((rig.score().opened().lane() && rig.score().opened().lane()->target().key == "low_cut_hz"));
  panel.field("low_cut_hz")->curveRequested();
  lane = rig.score().opened().lane();
  REQUIRE(lane);
  CHECK(lane->target().key == "low_cut_hz");
  const int top = scaled(44), bottom = lane->height() - scaled(22);
  QTest::mouseClick(lane, Qt::LeftButton, {}, QPoint(place(2, 0).x(), (top + bottom) / 2));
  const auto moving = Curve::from(rig.ornament(id).finish[1].settings.at("low_cut_hz"));
  REQUIRE(moving);
  REQUIRE(moving->points().size() == 2);
  CHECK(moving->points()[1].y == Approx(632).epsilon(0.1));
  // The processor goes: its curve is not edited any more.
  rig.session->undo();
  rig.session->undo();
  rig.settle();
  CHECK_FALSE(rig.score().opened().lane());
}

TEST_CASE("whole chains to begin from, and one's own kept as an open file", "[space][finish]") {
  const TempFolder dir;
  const QByteArray home = qgetenv("XDG_DATA_HOME");
  qputenv("XDG_DATA_HOME", QByteArray::fromStdString(dir.path().string()));
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  choose(rig, "small radio");
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"filter", "dirt", "width", "level"});
  CHECK(rig.session->history().undoLabel() == "small radio of delay throw");
  std::string why;
  REQUIRE(keepStartingPoint(FinishLine::ownFolder(), {"my own", {}, {{"gain", {{"db", -4.0}}}}}, why));
  choose(rig, "my own");
  CHECK(chainOf(rig.ornament(id)) == std::vector<std::string>{"gain"});
  home.isEmpty() ? qunsetenv("XDG_DATA_HOME") : qputenv("XDG_DATA_HOME", home);
}

TEST_CASE("what a swell says of its start is measured, of echoes as of a space", "[space]") {
  SmallSongRig rig;
  rig.placeOpen("reverse-reverb", "voice", 24, 26);
  const auto said = [&](const Settings& more) {
    Ornament o = last(rig);
    for (const auto& [key, value] : more) o.settings[key] = value;
    rig.session->edit(QStringLiteral("space"), withOrnamentReplaced(rig.session->song(), o));
    rig.settle();
    const QString words = rig.score().opened().row()->title().sentence();
    INFO(words.toStdString());
    // What the print does between the first and the last tenth of a second before its landing.
    const auto node = rig.session->plan()->node(last(rig).id);
    const Frames land = rig.session->plan()->map().frameAt(last(rig).start),
                 begin = rig.session->plan()->map().frameAt(last(rig).start -
                                                            Beats::ofQuarters(setting(last(rig), "lead_beats")));
    const auto rms = [&](Frames from) {
      StereoBuffer b(4800);
      node->print->addTo(from, b.span());
      const double l = std::pow(10, rmsDb(b.left(), 4800) / 10), r = std::pow(10, rmsDb(b.right(), 4800) / 10);
      return 10 * std::log10(l + r + 1e-20);
    };
    const double rise = rms(land - Frames(4800)) - rms(begin);
    static const QRegularExpression number(QStringLiteral("from \u2212(\\d+) dB"));
    const auto found = number.match(words);
    if (rise > 95) {
      CHECK(words.contains("from silence"));
    } else {
      REQUIRE(found.hasMatch());
      CHECK(found.captured(1).toDouble() == Approx(rise).margin(1.5));
    }
    return rise;
  };
  CHECK(said({{"lead_beats", 4.0}}) > 50);
  CHECK(said({{"space", "echo"}, {"lead_beats", 2.0}, {"echo_time", "1/8"}, {"echo_feedback_percent", 60.0}}) < 40);
  CHECK(said({{"space", "echo-reverb"}, {"lead_beats", 1.0}}) > 0);
}
