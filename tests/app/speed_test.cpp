// Speed in the window: stops, starts, dips and halftime by mouse and by key, as the stepped output recorded them; the
// handles of their open rows; trying fast.
#include "app/openrow/curve_lane.h"
#include "app/score/sign_strip.h"
#include "ornaments/halftime.h"
#include "ornaments/tape.h"
#include "rig.h"

#include <catch2/catch.hpp>

#include <QApplication>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

enum class By { mouse, keys };

/// Selects a stretch (on the grid of sixteenths) and presses a kind, by mouse alone or by keys alone.
void press(Rig& rig, By by, const char* row, double from, double to, const char* kind, Qt::Key key) {
  rig.score().select(std::nullopt);
  if (by == By::mouse) {
    rig.select(row, from, to);
    auto* sign = rig.window->findChild<QAbstractButton*>(QStringLiteral("place-%1").arg(QLatin1String(kind)));
    REQUIRE(sign);
    REQUIRE(sign->isVisible());
    QTest::mouseClick(sign, Qt::LeftButton, {}, sign->rect().center());
  } else {
    rig.score().setFocus();
    for (int i = 0; i < 12 && rig.score().caret().row() != row; ++i) rig.key(Qt::Key_Down);
    for (int i = 0; i < 12 && rig.score().caret().row() != row; ++i) rig.key(Qt::Key_Up);
    REQUIRE(rig.score().caret().row() == row);
    rig.score().caret().put(Beats::ofQuarters(from));
    for (int i = 0; i < static_cast<int>(std::lround((to - from) * 4)); ++i) rig.key(Qt::Key_Right, Qt::ShiftModifier);
    rig.key(key);
  }
  rig.settle();
  rig.session->player().stop();
  rig.score().opened().close();
  rig.settleView();
}

/// Only this row sounds.
void only(Rig& rig, const std::string& row) {
  Song s = rig.session->song();
  for (Stem& stem : s.stems) stem.mix.mute = stem.id != row;
  rig.session->edit("mute", std::move(s));
  rig.settle();
}

/// What the output recorded from a beat on.
StereoBuffer heardFrom(Rig& rig, double beat, std::int64_t frames) {
  Player& p = rig.session->player();
  p.stop();
  p.setLoop(std::nullopt);
  rig.hear(4800); // the former sound's ramp
  p.play(rig.session->plan()->map().frameAt(Beats::ofQuarters(beat)));
  // The monitor's limiter looks ahead: what is asked for comes out so much later.
  const std::int64_t delay = Player::monitorDelay(48000);
  const StereoBuffer late = rig.hear(frames + delay);
  StereoBuffer heard(frames);
  std::copy_n(late.left() + delay, frames, heard.left());
  std::copy_n(late.right() + delay, frames, heard.right());
  return heard;
}

/// Mean frequency over a stretch, by the crossings through zero.
double hertz(const StereoBuffer& b, std::int64_t from, std::int64_t to) {
  double first = -1, lastAt = -1;
  int n = 0;
  for (std::int64_t i = from; i + 1 < to; ++i)
    if (b.left()[i] < 0 && b.left()[i + 1] >= 0) {
      const double at = static_cast<double>(i) + static_cast<double>(b.left()[i] / (b.left()[i] - b.left()[i + 1]));
      if (first < 0) first = at;
      lastAt = at;
      ++n;
    }
  return n > 1 ? (n - 1) * 48000 / (lastAt - first) : 0;
}

} // namespace

TEST_CASE("a stop on the last half bar goes down to the landing, by mouse and by key", "[speed-window]") {
  for (const By by : {By::mouse, By::keys}) {
    const TempFolder dir;
    Rig rig;
    rig.open(writeSmallSong(dir));
    press(rig, by, "keys", 14, 16, "tape", Qt::Key_E);
    REQUIRE(rig.session->song().ornaments.size() == 1);
    CHECK(last(rig).span() == BeatRange{Beats::ofQuarters(14), Beats::ofQuarters(16)});
    CHECK(last(rig).landing == "b");
    only(rig, "keys");
    // A sine of 220 Hz over 48000 frames: while it can be heard it has the law's speed.
    const StereoBuffer heard = heardFrom(rig, 14, 72000);
    for (const double u : {0.2, 0.4, 0.55}) {
      const auto at = static_cast<std::int64_t>(48000 * u);
      const double speed = 1 - bendProgress(-0.2, u);
      CHECK(hertz(heard, at - 1200, at + 1200) == Approx(220 * speed).epsilon(0.03));
      CHECK(rmsDb(heard.left() + at - 600, 1200) == Approx(-23.0 + 20 * std::log10(1 - 0.4 * (1 - speed))).margin(1));
    }
    CHECK(hertz(heard, 50000, 70000) == Approx(220).epsilon(1e-4)); // the row is back on the landing
    CHECK(rmsDb(heard.left() + 48000, 2400) == Approx(-23).margin(0.3));
  }
}

TEST_CASE("a start at the song's beginning comes up in phase, by mouse and by key", "[speed-window]") {
  for (const By by : {By::mouse, By::keys}) {
    const TempFolder dir;
    Rig rig;
    rig.open(writeSmallSong(dir));
    press(rig, by, "keys", 0, 2, "tape", Qt::Key_E);
    press(rig, by, "keys", 0, 2, "tape", Qt::Key_E); // pressed again: the next shape
    REQUIRE(rig.session->song().ornaments.size() == 1);
    CHECK(textSetting(last(rig), "shape") == "start");
    CHECK(rig.session->history().undoLabel() == "shape of tape");
    only(rig, "keys");
    const StereoBuffer heard = heardFrom(rig, 0, 60000);
    CHECK(rmsDb(heard.left() + 400, 1200) < -45);
    CHECK(hertz(heard, 22800, 25200) == Approx(220 * (1 - bendProgress(0.5, 0.5))).epsilon(0.02));
    double worst = 0; // at the end of the span it is the sine of the row, frame by frame
    for (std::int64_t i = 48000; i < 60000; ++i)
      worst = std::max(worst, std::abs(static_cast<double>(heard.left()[i]) -
                                       0.1 * std::sin(2 * M_PI * 220 / 48000 * static_cast<double>(i))));
    CHECK(worst < 1e-4);
    CHECK(std::abs(static_cast<double>(heard.left()[47999]) - 0.1 * std::sin(2 * M_PI * 220 / 48000 * 47999)) < 1e-3);
  }
}

TEST_CASE("a dip on one hit bends it and gives the row back, by mouse and by key", "[speed-window]") {
  for (const By by : {By::mouse, By::keys}) {
    const TempFolder dir;
    Rig rig;
    rig.open(writeSmallSong(dir));
    for (int i = 0; i < 3; ++i) press(rig, by, "drums", 9, 9.75, "tape", Qt::Key_E);
    REQUIRE(rig.session->song().ornaments.size() == 1);
    CHECK(textSetting(last(rig), "shape") == "dip");
    only(rig, "drums");
    const StereoBuffer heard = heardFrom(rig, 8, 72000); // a hit on every beat
    const auto dry = fill(64 * 24000, [n = noise(3, 0.4)](std::int64_t f, int side) {
      return n(f, side) * static_cast<float>(std::exp(-static_cast<double>(f % 24000) / 2000));
    });
    const auto off = [&](std::int64_t from, std::int64_t to) {
      double worst = 0;
      for (std::int64_t i = from; i < to; ++i)
        worst = std::max(worst, std::abs(static_cast<double>(heard.left()[i]) - dry.left()[8 * 24000 + i]));
      return worst;
    };
    CHECK(off(2400, 24000) < 1e-4);               // before it
    CHECK(off(24000, 24002) < 1e-3);              // the hit begins as it was
    CHECK(off(24000 + 600, 24000 + 6000) > 0.02); // and bends
    CHECK(off(24000 + 18000, 72000) < 1e-4);      // after it
  }
}

TEST_CASE("a stop extended over the end of the song is heard after it, by mouse and by key", "[speed-window]") {
  for (const By by : {By::mouse, By::keys}) {
    const TempFolder dir;
    Rig rig;
    rig.open(writeSmallSong(dir));
    rig.score().caret().put(Beats::ofQuarters(62));
    rig.score().centreOn(Beats::ofQuarters(62));
    rig.settleView();
    press(rig, by, "keys", 62, 64, "tape", Qt::Key_E);
    REQUIRE(rig.session->song().ornaments.size() == 1);
    rig.score().opened().open(last(rig).id);
    rig.settle();
    if (by == By::keys) {
      rig.score().setFocus();
      rig.key(Qt::Key_E, Qt::ShiftModifier);
    } else {
      NumberField* fits = rig.score().opened().row()->field("fit");
      REQUIRE(fits);
      turnWheel(*fits, QPointF(4, 4), 120);
    }
    rig.settle();
    CHECK(textSetting(last(rig), "fit") == "extend");
    CHECK(rig.score().opened().row()->sentence().contains("after the ornament"));
    rig.score().opened().close();
    rig.settle();
    only(rig, "keys");
    // The stems end at beat 64; all of the source is played, which takes 1 over the mean speed of the law.
    const double mean = 1 - (std::expm1(-1.2) / -1.2 - 1) / std::expm1(-1.2); // of the bend of a first press
    const auto frames = static_cast<std::int64_t>(48000 / mean);
    const FrameRange extent = rig.session->plan()->node(last(rig).id)->extent();
    CHECK(std::abs(extent.length() - frames) <= 1);
    const StereoBuffer heard = heardFrom(rig, 62, frames + 8000);
    CHECK(rmsDb(heard.left() + 49000, 4000) > -40);
    CHECK(largest([&] {
            StereoBuffer rest(2000);
            std::copy_n(heard.left() + frames + 1000, 2000, rest.left());
            return rest;
          }()) < 1e-4f);
  }
}

TEST_CASE("halftime over two bars at half mix, by mouse and by key", "[speed-window]") {
  for (const By by : {By::mouse, By::keys}) {
    const TempFolder dir;
    Rig rig;
    rig.open(writeSmallSong(dir));
    press(rig, by, "drums", 8, 16, "halftime", Qt::Key_H);
    REQUIRE(rig.session->song().ornaments.size() == 1);
    const std::string id = last(rig).id;
    rig.score().opened().open(id);
    rig.settle();
    if (by == By::keys) {
      NumberField* mix = rig.score().opened().row()->field("mix_percent");
      REQUIRE(mix);
      rig.type(mix, "50");
    } else {
      const QPoint from = rig.handle("mix");
      const QRect area = rig.score().openArea();
      // Half way between its ends, which the drawing keeps 26 and 24 pixels off the area's.
      rig.drag(&rig.score(), from, {from.x(), (area.top() + 26 + area.bottom() - 24) / 2});
    }
    rig.settle();
    CHECK(setting(last(rig), "mix_percent") == Approx(50).margin(1.5));
    Ornament half = last(rig);
    half.settings["mix_percent"] = 50.0;
    rig.session->edit("mix", withOrnamentReplaced(rig.session->song(), half));
    rig.score().opened().close();
    rig.settle();
    only(rig, "drums");
    const StereoBuffer heard = heardFrom(rig, 8, 8 * 24000);
    // Hits on every beat at half; those of the first half bar again at twice their place, stretched, at half.
    const auto hit = [](std::int64_t f) { return std::exp(-static_cast<double>(f % 24000) / 2000); };
    const auto level = [&](std::int64_t at) {
      return std::pow(10, rmsDb(heard.left() + at, 200) / 20) * std::sqrt(3.0) / 0.4;
    };
    for (const int beat : {1, 3, 5, 7}) { // dry hits alone: the slowed ones come on even beats
      const std::int64_t at = beat * 24000;
      const double slowed = std::exp(-12000.0 / 2000);
      CHECK(level(at) == Approx(0.5 * std::hypot(hit(100), slowed)).epsilon(0.15));
    }
    // Where both fall together (beat 2 carries the bar's second hit slowed): more than the dry half alone.
    CHECK(level(2 * 24000) > 0.6 * hit(100));
    // Long after a hit the slowed one, which dies half as fast, is what is left.
    CHECK(level(2 * 24000 + 8000) == Approx(0.5 * std::exp(-4000.0 / 2000)).epsilon(0.2));
  }
}

TEST_CASE("the open tape says where its speed goes, and how far the pitch with the time locked", "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("tape", "keys", 12, 16);
  const auto says = [&](const Settings& settings) {
    Ornament o = rig.ornament(id);
    for (const auto& [key, value] : settings) o.settings[key] = value;
    rig.session->edit("settings", withOrnamentReplaced(rig.session->song(), o));
    rig.settle();
    return rig.score().opened().row()->sentence().toStdString();
  };
  CHECK(says({}) == "1 bar, slows to a stop");
  CHECK(says({{"lowest", 0.25}}) == "1 bar, slows to 25 % of its speed");
  CHECK(says({{"shape", "dip"}}) == "1 bar, slows to 25 % of its speed and back");
  CHECK(says({{"shape", "start"}}) == "1 bar, from 25 % of its speed up to full speed");
  CHECK(says({{"lowest", 0.0}}) == "1 bar, from a stop up to speed");
  CHECK(says({{"pitch_lock", true}, {"lowest_semitones", -12.0}}) == "1 bar, up 12 semitones, timing kept");
  CHECK(says({{"lowest", 0.5}}) == "1 bar, up 12 semitones, timing kept"); // the speed's own depth is not heard then
  CHECK(tapeMotion({rig.ornament(id), rig.session->plan()->context()}).semitonesAt(0) == -12);
  CHECK(says({{"shape", "stop"}}) == "1 bar, down 12 semitones, timing kept");
}

TEST_CASE("the handles of the open tape: bend, lowest and halt, dip and turn, points of its own curve",
          "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("tape", "keys", 12, 16);
  ScoreView& score = rig.score();
  CHECK(score.opened().row()->sentence() == "1 bar, slows to a stop");
  rig.drag(&score, rig.handle("bend"), rig.handle("bend") + QPoint(0, 40));
  rig.settle();
  CHECK(setting(rig.ornament(id), "bend") < 0.2);
  CHECK(rig.session->history().undoLabel() == "bend of tape");
  // The ring is where it was let go: the curve passes through the mouse.
  const auto shown = rig.handle("bend");
  rig.drag(&score, shown, shown + QPoint(0, -30));
  rig.settle();
  CHECK(std::abs(rig.handle("bend").y() - (shown.y() - 30)) <= 2);
  // Up: not quite to a halt. Left: earlier, then the row comes back; with silence it stays away.
  rig.drag(&score, rig.handle("halt"), rig.handle("halt") + QPoint(0, -30));
  rig.settle();
  CHECK(setting(rig.ornament(id), "lowest") > 0.1);
  const double beat = rig.score().axis().pxPerBeat;
  rig.drag(&score, rig.handle("halt"), rig.handle("halt") + QPoint(-static_cast<int>(std::lround(2 * beat)), 0));
  rig.settle();
  CHECK(setting(rig.ornament(id), "halt_at") == Approx(0.5).margin(0.01));
  CHECK(score.opened().row()->sentence().endsWith("then the row returns"));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(setting(rig.ornament(id), "halt_at") == 1);
  // A dip.
  rig.score().setFocus();
  rig.key(Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
  rig.key(Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
  rig.settle();
  CHECK(textSetting(rig.ornament(id), "shape") == "dip");
  rig.drag(&score, rig.handle("lowest"), rig.handle("lowest") + QPoint(-static_cast<int>(std::lround(beat)), 0),
           Qt::ShiftModifier);
  rig.settle();
  CHECK(setting(rig.ornament(id), "bottom_at") == Approx(0.35).margin(0.02));
  // Spin-back, and a curve of its own.
  rig.key(Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
  rig.settle();
  CHECK(score.opened().handleRect("turn").isValid());
  rig.key(Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
  rig.session->edit(
      "curve", withSetting(rig.session->song(), id, "speed", List{List{0.0, 1.0}, List{0.5, 0.5}, List{1.0, 1.0}}));
  rig.settle();
  CHECK(textSetting(rig.ornament(id), "shape") == "custom");
  rig.drag(&score, rig.handle("point1"), rig.handle("point1") + QPoint(static_cast<int>(std::lround(beat)), 0),
           Qt::ShiftModifier);
  rig.settle();
  const auto curve = Curve::from(rig.ornament(id).settings.at("speed"));
  REQUIRE(curve);
  CHECK(curve->points()[1].x == Approx(0.75).margin(0.01));
  // The curve editor lies over the same axis: 0..1 is the span.
  score.opened().openCurve("speed");
  rig.settle();
  REQUIRE(score.opened().lane());
  CHECK(score.opened().lane()->pointAt(2).x() + score.opened().lane()->x() ==
        Approx(score.axis().xOf(Beats::ofQuarters(16))).margin(1));
  CHECK(score.opened().lane()->pointAt(0).x() + score.opened().lane()->x() ==
        Approx(score.axis().xOf(Beats::ofQuarters(12))).margin(1));
}

TEST_CASE("the handles of the open halftime: cycle, slowing, fades", "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("halftime", "drums", 8, 16);
  ScoreView& score = rig.score();
  const double beat = score.axis().pxPerBeat;
  CHECK(score.opened().row()->sentence() == "the first half of each bar fills it, 12 semitones lower");
  rig.drag(&score, rig.handle("cycle"), rig.handle("cycle") - QPoint(static_cast<int>(std::lround(2 * beat)), 0));
  rig.settle();
  CHECK(textSetting(rig.ornament(id), "cycle") == "1/2");
  rig.drag(&score, rig.handle("slower"), rig.handle("slower") - QPoint(static_cast<int>(std::lround(0.5 * beat)), 0));
  rig.settle();
  CHECK(setting(rig.ornament(id), "slower") == 4);
  rig.drag(&score, rig.handle("in"), rig.handle("in") + QPoint(static_cast<int>(std::lround(beat)), 0));
  rig.drag(&score, rig.handle("out"), rig.handle("out") - QPoint(static_cast<int>(std::lround(beat)), 0));
  rig.settle();
  CHECK(setting(rig.ornament(id), "fade_in_beats") == 1);
  CHECK(setting(rig.ornament(id), "fade_out_beats") == 1);
  // Pressed again on the same stretch it keeps its pitch.
  score.opened().close();
  score.select(Selection{"drums", Beats::ofQuarters(8), Beats::ofQuarters(16)});
  score.placeOnSelection("halftime");
  rig.settle();
  CHECK(textSetting(rig.ornament(id), "pitch") == "keep");
}

TEST_CASE("keys turn the bend, the fade and the fit of a tape", "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("tape", "keys", 12, 16);
  rig.score().setFocus();
  const double bend = setting(rig.ornament(id), "bend"), fade = setting(rig.ornament(id), "fade");
  for (int i = 0; i < 9 && rig.score().opened().activeHandle() != "bend"; ++i) rig.key(Qt::Key_N);
  rig.key(Qt::Key_Up);
  CHECK(setting(rig.ornament(id), "bend") > bend);
  rig.key(Qt::Key_Down);
  rig.key(Qt::Key_Down);
  CHECK(setting(rig.ornament(id), "bend") < bend);
  // The fade has no handle, but a number: Return goes there, its letter to it, F6 back.
  rig.key(Qt::Key_Return);
  rig.key(Qt::Key_F);
  rig.key(Qt::Key_F); // the first F is the fit
  rig.key(Qt::Key_Down);
  CHECK(setting(rig.ornament(id), "fade") < fade);
  rig.key(Qt::Key_F6);
  CHECK(rig.score().hasFocus());
  rig.key(Qt::Key_E, Qt::ShiftModifier);
  CHECK(textSetting(rig.ornament(id), "fit") == "extend");
  CHECK(rig.window->measure().said().contains("whole source"));
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(textSetting(rig.ornament(id), "fit") == "span");
}

TEST_CASE("one key makes it silent from where a tape is done to its landing", "[speed-window]") {
  SmallSongRig rig;
  const std::string tape = rig.placeOpen("tape", "keys", 12, 14);
  REQUIRE_FALSE(rig.ornament(tape).landing);
  const Song before = rig.session->song();
  rig.score().setFocus();
  rig.key(Qt::Key_Z);
  rig.settle();
  REQUIRE(rig.session->song().ornaments.size() == 2);
  const std::string gap = last(rig).id;
  CHECK(last(rig).kind == "gap");
  CHECK(last(rig).on == "keys");
  CHECK(last(rig).span() == BeatRange{Beats::ofQuarters(14), Beats::ofQuarters(16)});
  // Both go with the landing.
  CHECK(rig.ornament(gap).landing == std::optional<std::string>("b"));
  CHECK(rig.ornament(tape).landing == std::optional<std::string>("b"));
  rig.session->undo();
  CHECK(rig.session->song() == before);
  // A motion that halts early is done early; one that ends on its landing leaves nothing.
  rig.settle();
  rig.score().opened().open(tape);
  rig.settle();
  rig.type(rig.score().opened().row()->field("halt_at"), "50"); // percent
  rig.key(Qt::Key_Z);
  rig.settle();
  CHECK(last(rig).kind == "gap");
  CHECK(last(rig).start.quarters() == Approx(13).margin(1e-4));
  const std::string landed = rig.placeOpen("tape", "drums", 14, 16);
  rig.score().setFocus();
  const std::size_t n = rig.session->song().ornaments.size();
  rig.key(Qt::Key_Z);
  rig.settle();
  CHECK(rig.session->song().ornaments.size() == n);
  CHECK(rig.window->measure().said().contains("ends where it lands"));
}

TEST_CASE("a handle that is dragged is heard in a loop, and let go it is quiet again", "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("tape", "keys", 12, 16);
  only(rig, "keys");
  rig.session->player().stop();
  rig.hear(9600);
  CHECK_FALSE(rig.session->player().playing());
  const QPoint from = rig.handle("bend");
  QTest::mousePress(&rig.score(), Qt::LeftButton, {}, from);
  Rig::moveTo(&rig.score(), from - QPoint(0, 10));
  CHECK(rig.session->player().playing());
  const Frames begin = rig.session->plan()->map().frameAt(Beats::ofQuarters(11)); // a beat before it
  CHECK(rig.session->player().position() == begin);
  Rig::moveTo(&rig.score(), from - QPoint(0, 50));
  rig.session->waitUntilIdle();
  // A beat of the row, then half a bar of the motion as it was dragged to.
  const StereoBuffer heard = rig.hear(24000 + 48000);
  const double bend = setting(rig.ornament(id), "bend");
  CHECK(bend > 0);
  CHECK(hertz(heard, 24000 + 45600, 24000 + 48000) == Approx(220 * (1 - bendProgress(bend, 0.4875))).epsilon(0.03));
  QTest::mouseRelease(&rig.score(), Qt::LeftButton, {}, from - QPoint(0, 50));
  CHECK_FALSE(rig.session->player().playing());
}

TEST_CASE("four tries: listened through, one kept or none, one step of undo", "[speed-window]") {
  SmallSongRig rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 12, 13);
  rig.score().setFocus();
  const Ornament before = rig.ornament(id);
  rig.key(Qt::Key_Y);
  rig.settle();
  Tries& tries = rig.score().opened().tries();
  REQUIRE(tries.running());
  CHECK(rig.ornament(id) == tries.all()[0]);
  CHECK(rig.session->player().playing()); // heard at once
  OpenTitle& title = rig.score().opened().row()->title();
  CHECK(title.tryRing(0)->isVisible());
  CHECK_FALSE(title.variant(0)->isVisible());
  std::set<std::string> different{before.id +
                                  compactJson(Value(Object(before.settings.begin(), before.settings.end())))};
  for (const Ornament& t : tries.all())
    different.insert(t.id + compactJson(Value(Object(t.settings.begin(), t.settings.end()))));
  CHECK(different.size() == 5);
  QTest::mouseClick(title.tryRing(2), Qt::LeftButton, {}, title.tryRing(2)->rect().center());
  CHECK(rig.ornament(id) == tries.all()[2]);
  rig.score().setFocus();
  rig.key(Qt::Key_2);
  CHECK(rig.ornament(id) == tries.all()[1]);
  rig.key(Qt::Key_Escape); // none
  CHECK_FALSE(tries.running());
  CHECK(rig.ornament(id) == before);
  // Four others, and one of them kept.
  rig.key(Qt::Key_Y);
  rig.key(Qt::Key_Y);
  rig.key(Qt::Key_4);
  const Ornament wanted = tries.all()[3];
  rig.key(Qt::Key_Return);
  CHECK_FALSE(tries.running());
  CHECK(rig.ornament(id) == wanted);
  CHECK(rig.session->history().undoLabel() == "idea for delay throw");
  rig.key(Qt::Key_Z, Qt::ControlModifier);
  CHECK(rig.ornament(id) == before);
}
