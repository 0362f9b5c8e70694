// Room for a lead-in: rows dip, or lose a band, under it, and are whole on the landing's frame.
#include "manners/room.h"
#include "services/song_figures.h"
#include "song/edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;
constexpr std::int64_t kLanding = 8 * 24000; // beat 8 at 120

/// A bright riser over two bars into beat 8, above chords and a bass that go on.
struct Climb {
  TestSong t{48000, 120};
  Climb() {
    t.stem("lead", 480000, [](std::int64_t, int) { return 0.0; });
    t.stem("keys", 480000, [](std::int64_t f, int s) {
      double all = 0;
      for (const double hz : {220.0, 660.0, 1540.0, 3100.0, 6300.0}) all += sine(hz, kRate, 0.05)(f, s);
      return all;
    });
    t.stem("far", 480000, sine(140, kRate, 0.3)); // little of the riser is there
    t.ornament("riser", "lead", 0, 8,
               {{"of", "noise"}, {"cutoff_hz", Value(List{2000.0, 12000.0})}, {"level_db", Value(List{-20.0, -3.0})}});
  }
  std::vector<Ornament> room(RoomWay way, const std::vector<std::string>& rows = {}) {
    const auto plan = t.plan();
    Findings findings;
    const auto all = figuresOfAll(plan, t.audio, t.cache, findings, 2);
    const OrnamentFigures& f = all.front();
    const Ornament& o = *f.node->ornament;
    return roomFor(*allKinds().find(o.kind), {o, plan->context()}, f.node->extent().begin, f.over, rows, way);
  }
  StereoBuffer keys(std::int64_t from, std::int64_t frames) { return rowOut(*t.plan(), "keys", from, frames); }
};

} // namespace

TEST_CASE("rows dip under a lead-in and are back on the landing's frame", "[room]") {
  Climb c;
  const StereoBuffer dry = c.keys(kLanding - 24000, 48000);
  const auto dips = c.room(RoomWay::dip);
  REQUIRE(dips.size() == 1); // what it does not cover stays
  CHECK(dips[0].on == "keys");
  CHECK(dips[0].start == Beats(0));
  CHECK(dips[0].span().end == Beats::ofQuarters(8));
  c.t.ornaments.push_back(dips[0]);
  c.t.ornaments.back().id = "dip";
  const StereoBuffer wet = c.keys(kLanding - 24000, 48000);
  // From the frame on as it was, to the bit; before it 4 to 12 dB down.
  for (std::int64_t f = 24000; f < 48000; ++f) {
    REQUIRE(wet.left()[f] == dry.left()[f]);
    REQUIRE(wet.right()[f] == dry.right()[f]);
  }
  const double down = rmsDb(dry.left() + 19200, 4000) - rmsDb(wet.left() + 19200, 4000);
  CHECK(down > 3.5);
  CHECK(down < 12.5);
  // It goes down on its way: hardly at all in the first bar.
  const StereoBuffer first = c.keys(24000, 9600);
  c.t.ornaments.pop_back();
  CHECK(rmsDb(c.keys(24000, 9600).left(), 9600) - rmsDb(first.left(), 9600) < 1.5);
}

TEST_CASE("or they lose the band in which it sounds, and keep the rest", "[room]") {
  Climb c;
  const StereoBuffer dry = c.keys(kLanding - 12000, 24000);
  auto bands = c.room(RoomWay::band);
  REQUIRE(bands.size() == 1);
  bands[0].id = "band";
  c.t.ornaments.push_back(bands[0]);
  const StereoBuffer wet = c.keys(kLanding - 12000, 24000);
  const auto change = [&](double hz) {
    const auto at = [&](const StereoBuffer& b) { return 20 * std::log10(toneLevel(b.left() + 2400, 9000, hz, kRate)); };
    return at(wet) - at(dry);
  };
  CHECK(change(6300) < -6);
  CHECK(change(220) > -3);
  for (std::int64_t f = 12000; f < 24000; ++f) REQUIRE(wet.left()[f] == dry.left()[f]);
}

TEST_CASE("room is made on the rows that are chosen, known again, and for lead-ins alone", "[room]") {
  Climb c;
  const auto far = c.room(RoomWay::dip, {"far"}); // by itself it would not be
  REQUIRE(far.size() == 1);
  CHECK(far[0].on == "far");
  const auto dips = c.room(RoomWay::dip);
  REQUIRE(dips.size() == 1);
  const Song with = withOrnaments(c.t.song, dips).song;
  CHECK(standingAs(with, dips).size() == 1);
  CHECK(standingAs(with, c.room(RoomWay::band)).empty());
  CHECK(standingAs(c.t.song, dips).empty());
  c.t.ornaments[0].settings["direction"] = "down"; // it falls away from its start
  CHECK(c.room(RoomWay::dip).empty());
}

TEST_CASE("what narrows before a landing is as wide as ever on its frame", "[room]") {
  TestSong t(48000, 120);
  t.stem("pad", 480000, [](std::int64_t f, int s) { return sine(s == 0 ? 300 : 420, kRate, 0.2)(f, s); });
  const auto sideDb = [&](std::int64_t from) { // of the sides against the middle
    const StereoBuffer b = rowOut(*t.plan(), "pad", from, 4800);
    double side = 0, mid = 0;
    for (std::int64_t i = 0; i < b.frames(); ++i) {
      side += std::pow(b.left()[i] - b.right()[i], 2);
      mid += std::pow(b.left()[i] + b.right()[i], 2);
    }
    return 10 * std::log10(side / mid);
  };
  const double before = sideDb(0), after = sideDb(kLanding);
  Ornament o = narrowing("pad", {Beats::ofQuarters(0), Beats::ofQuarters(8)}, {});
  o.id = "n";
  t.ornaments.push_back(o);
  CHECK(sideDb(0) == Approx(before).margin(0.5));
  CHECK(sideDb(kLanding - 4800 - 480) == Approx(before + 20 * std::log10(0.15)).margin(2.0));
  CHECK(sideDb(kLanding) == Approx(after).margin(1e-6));
}
