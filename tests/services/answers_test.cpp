// What covers another row is answered at one press: each answer is measured in the song it makes.
#include "manners/collision_answers.h"
#include "services/song_figures.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// A bright word, chords in its lower octaves, and the throw of the word as loud as it was.
struct Covered {
  TestSong t{48000, 120};
  explicit Covered(double keysPan = 0, std::int64_t keysFrom = 60000) {
    t.stem("voice", 480000, [](std::int64_t f, int s) {
      double all = 0;
      for (const double hz : {310.0, 620.0, 1250.0, 2500.0, 5000.0}) all += sine(hz, kRate, 0.06)(f, s);
      return f >= 48000 && f < 72000 ? all : 0.0;
    });
    t.stem("keys", 480000, [=](std::int64_t f, int s) {
      return f < keysFrom ? 0.0 : sine(300, kRate, 0.03)(f, s) + sine(640, kRate, 0.03)(f, s);
    });
    t.song.stems[1].mix.pan = keysPan;
    t.ornament("delay-throw", "voice", 2, 1, {{"feedback_percent", 60.0}, {"time_left", "1/4"}, {"time_right", "1/4"}});
  }
  OrnamentFigures figures() {
    const auto plan = t.plan();
    Findings findings;
    return figuresOfAll(plan, t.audio, t.cache, findings, 2).front();
  }
  OrnamentFigures figuresWith(const Ornament& o) {
    t.ornaments = {o};
    return figures();
  }
  std::optional<Ornament> by(CollisionAnswer answer, const Collision& c) {
    const auto plan = t.plan();
    const Ornament& o = t.ornaments.front();
    return answered(*allKinds().find(o.kind), {o, plan->context()}, answer, c);
  }
};

} // namespace

TEST_CASE("what lies over another row is ducked, thinned or put aside, and is under it then", "[services][answers]") {
  Covered c;
  const Ornament before = c.t.ornaments.front();
  const OrnamentFigures first = c.figures();
  REQUIRE(first.over.size() == 1);
  const Collision over = first.over[0];
  CHECK(over.row == "keys");
  CHECK(over.db > -3);
  CHECK(over.leftDb == Approx(over.rightDb).margin(0.1)); // both in the middle
  // In the octaves of 200 to 800 Hz, and in no other.
  CHECK(over.octavesDb[1] > -10);
  CHECK(over.octavesDb[2] > -10);
  CHECK(over.octavesDb[5] == Collision::kNone);
  CHECK(over.printDb[5] > -60);
  for (const auto answer : {CollisionAnswer::duck, CollisionAnswer::thin, CollisionAnswer::pan}) {
    INFO(static_cast<int>(answer));
    c.t.ornaments = {before};
    const auto next = c.by(answer, over);
    REQUIRE(next);
    const OrnamentFigures f = c.figuresWith(*next);
    REQUIRE(f.over.size() == 1);
    CHECK(f.over[0].db < over.db - 8);
    if (answer != CollisionAnswer::pan) CHECK(f.over[0].db < -9);
  }
  // What is thinned is still there: its upper octaves as they were.
  c.t.ornaments = {before};
  const auto thin = c.figuresWith(*c.by(CollisionAnswer::thin, over));
  CHECK(thin.over[0].printDb[5] > over.printDb[5] - 1); // of a shorter meeting, its louder part
  CHECK(thin.over[0].printDb[1] < over.printDb[1] - 8);
  c.t.ornaments = {before};
  // Nothing of it would be left, or it goes on under all of it.
  CHECK_FALSE(c.by(CollisionAnswer::shorten, over));
  CHECK_FALSE(c.by(CollisionAnswer::cut, over));
  CHECK_FALSE(c.by(CollisionAnswer::move, over));
}

TEST_CASE("it is put to the side where the row is not, and what is there already stays", "[services][answers]") {
  for (const double side : {-0.5, 0.5}) {
    INFO("keys at " << side);
    Covered c(side);
    const Collision over = c.figures().over.at(0);
    CHECK((side < 0 ? over.leftDb < over.rightDb : over.rightDb < over.leftDb));
    const auto next = c.by(CollisionAnswer::pan, over);
    REQUIRE(next);
    const Processor& pan = next->finish.back();
    CHECK(pan.type == "pan");
    CHECK(*pan.settings.at("position").number() * side < 0);
    const Collision after = c.figuresWith(*next).over.at(0);
    CHECK(after.db == Approx(over.db - 10.5).margin(1)); // 0.3 at the ear where the row is
    CHECK_FALSE(c.by(CollisionAnswer::pan, after));
    if (kSanitized) break; // ten seconds a side
  }
}

TEST_CASE("a row that enters after the word is answered by an end on its beat", "[services][answers]") {
  Covered c(0, 108000); // beat 4.5, one and a half after the word
  const Collision over = c.figures().over.at(0);
  const auto next = c.by(CollisionAnswer::cut, over);
  REQUIRE(next);
  const double end = *next->settings.at("cut_at").number();
  CHECK(end == std::round(end)); // on a beat, as the word starts on one
  CHECK(end >= 2);
  CHECK(c.figuresWith(*next).over.empty());
}

TEST_CASE("an earlier word is one that has died by the phrase", "[analysis][answers]") {
  const TempoMap map({{Beats(0), 120}}, {{Beats(0), 4, 4}}, Seconds(0), kRate); // a beat is 24000 frames
  const auto at = [](double beat) { return Frames(std::llround(beat * 24000)); };
  const std::vector<FrameRange> phrases = {{at(0), at(9)}, {at(12), at(20)}};
  const std::vector<Frames> attacks = {at(1), at(3), at(5), at(6), at(8), at(12), at(13)};
  const BeatRange source{Beats::ofQuarters(8), Beats::ofQuarters(9)};
  const auto hit = [&](double from, double to) {
    return std::vector<Collision>{{.frames = {at(from), at(to)}, .db = -3}};
  };
  const auto word = [&](const std::vector<Collision>& c) { return earlierWord(c, source, phrases, attacks, map); };
  REQUIRE(word(hit(12, 14)));
  CHECK(word(hit(12, 14))->begin == Beats::ofQuarters(6)); // two beats over: two beats earlier
  CHECK(word(hit(12, 14))->end == Beats::ofQuarters(7));
  CHECK(word(hit(12, 14.1))->begin == Beats::ofQuarters(5));
  CHECK_FALSE(word(hit(12, 20)));                                             // nothing so early sounds
  CHECK_FALSE(word({{.frames = {at(9), at(11)}, .db = -3, .goesOn = true}})); // its own phrase going on
  CHECK_FALSE(word(hit(6, 7)));                                               // a lead-in
}
