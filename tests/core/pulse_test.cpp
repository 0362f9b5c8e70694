#include "ornaments/pulse.h"

#include "manners/first_press.h"
#include "render/facts.h"
#include "song/curve.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;

/// A row that is 0.5 everywhere on the left, and −0.25 on the right.
void constant(TestSong& t, int rate = kRate) {
  t.stem("v", 30 * rate, [](std::int64_t, int side) { return side == 0 ? 0.5f : -0.25f; });
}

} // namespace

TEST_CASE("depth 0 leaves the row bit by bit as it was", "[pulse]") {
  TestSong t(kRate, 104);
  t.stem("v", 10 * kRate, noise(1, 0.8));
  const StereoBuffer before = rowOut(*t.plan(), "v", 0, 9 * kRate);
  t.ornament("pulse", "v", 1.3, 7.9, {{"depth_percent", 0.0}, {"step", "1/16t"}, {"levels", List{1.0, 0.0, 0.3}}});
  CHECK(rowOut(*t.plan(), "v", 0, 9 * kRate) == before);
}

TEST_CASE("the envelope is its formula, frame by frame, and the row is untouched outside", "[pulse]") {
  for (const double bpm : {86.0, 104.3, 174.0}) {
    INFO(bpm);
    TestSong t(kRate, bpm);
    constant(t);
    const double open = 0.7;
    const List levels{1.0, 0.5, 0.0}, pans{-0.8, 0.0, 0.5, 1.0};
    // Some steps have shoulders of their own.
    const List ins{Value(), 45.0}, outs{Value(), Value(), 0.0, 5.0, Value()}, inBends{-0.3, Value(), Value()},
        outBends{Value(), 0.8};
    t.ornament("pulse", "v", 2, 16,
               {{"step", "1/16"},
                {"levels", levels},
                {"pans", pans},
                {"length_percent", 70.0},
                {"depth_percent", 80.0},
                {"fade_in", 20.0},
                {"fade_out", Value(Object{{"ms", 9.0}})},
                {"fade_in_bend", 0.4},
                {"fade_out_bend", -0.6},
                {"fade_ins", ins},
                {"fade_outs", outs},
                {"fade_in_bends", inBends},
                {"fade_out_bends", outBends}});
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const Frames begin = map.frameAt(Beats::ofQuarters(2)), end = map.frameAt(Beats::ofQuarters(18));
    const StereoBuffer y = rowOut(*plan, "v", 0, end.count + 1000);
    const std::int64_t edge = 96;
    for (int k = 0; k < 64; ++k) {
      // Each step from the beat anew: the 64th is as exact as the first.
      const std::int64_t from = map.frameAt(Beats::ofQuarters(2 + k * 0.25)).count,
                         to = map.frameAt(Beats::ofQuarters(2 + (k + 1) * 0.25)).count, length = to - from;
      const auto own = [&](const List& list) { return list[static_cast<std::size_t>(k) % list.size()].number(); };
      const auto frames = [&](double percent) { return std::llround(percent / 100 * static_cast<double>(length)); };
      const double bendIn = own(inBends) ? *own(inBends) : 0.4, bendOut = own(outBends) ? *own(outBends) : -0.6;
      const std::int64_t sounds = std::llround(open * static_cast<double>(length)),
                         in = frames(own(ins) ? *own(ins) : 20),
                         out = own(outs) ? frames(*own(outs)) : std::llround(0.009 * kRate);
      REQUIRE(in + out <= sounds);
      const double level = *levels[static_cast<std::size_t>(k) % 3].number(),
                   pan = *pans[static_cast<std::size_t>(k) % 4].number(), quarter = std::numbers::pi / 2;
      const double left = level * (pan > 0 ? std::cos(pan * quarter) : 1),
                   right = level * (pan < 0 ? std::cos(pan * quarter) : 1);
      double off = 0;
      for (std::int64_t f = from; f < to; ++f) {
        if (f < begin.count + edge || f >= end.count - edge) continue; // there it passes into the row
        const std::int64_t at = f - from;
        double w = 1;
        if (at >= sounds)
          w = 0;
        else if (at < in)
          w = bendProgress(bendIn, static_cast<double>(at) / static_cast<double>(in));
        else if (sounds - at < out)
          w = 1 - bendProgress(bendOut, static_cast<double>(out - (sounds - at)) / static_cast<double>(out));
        off = std::max({off, std::abs(y.left()[f] - 0.5 * (1 - 0.8 * (1 - left * w))),
                        std::abs(y.right()[f] + 0.25 * (1 - 0.8 * (1 - right * w)))});
      }
      CHECK(off < 1e-6); // single precision
    }
    for (std::int64_t f = 0; f < begin.count; ++f) REQUIRE(y.left()[f] == 0.5f);
    for (std::int64_t f = end.count; f < end.count + 1000; ++f) REQUIRE(y.right()[f] == -0.25f);
  }
}

TEST_CASE("no edge of a pulse jumps more than its fades allow, with a finish too", "[pulse]") {
  for (const bool finished : {false, true}) {
    INFO(finished);
    TestSong t;
    constant(t);
    Ornament& o =
        t.ornament("pulse", "v", 1.1, 6.3, {{"fade_in", 5.0}, {"fade_out", 5.0}, {"levels", List{1.0, 0.2, 0.7}}});
    if (finished) o.finish = {{"filter", {{"high_cut_hz", 9000.0}}}};
    const StereoBuffer y = rowOut(*t.plan(), "v", 0, 6 * kRate);
    double jump = 0;
    for (std::int64_t f = 1; f < y.frames(); ++f)
      jump = std::max(jump, static_cast<double>(std::abs(y.left()[f] - y.left()[f - 1])));
    // The shortest fade: 5 % of a sixteenth, 300 frames; raised cosines over 96 frames at the span's edges.
    CHECK(jump < 0.5 * std::numbers::pi / 2 / 96);
  }
}

TEST_CASE("swing moves every second step by its part of the pair", "[pulse]") {
  TestSong t;
  constant(t);
  t.ornament("pulse", "v", 0, 8,
             {{"step", "1/8"}, {"swing_percent", 20.0}, {"length_percent", 50.0}, {"fade_in", 0.0}, {"fade_out", 0.0}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 4 * kRate);
  std::vector<std::int64_t> opens;
  for (std::int64_t f = 200; f < 4 * kRate - 200; ++f)
    if (y.left()[f] > 0.4f && y.left()[f - 1] < 0.1f) opens.push_back(f);
  REQUIRE(opens.size() >= 14);
  for (std::size_t i = 0; i < 14; ++i) {
    const std::size_t k = i + 1; // the first one is open from the span's begin
    CHECK(std::abs(static_cast<double>(opens[i]) - (static_cast<double>(k) + (k % 2 != 0 ? 0.4 : 0)) * 12000) <= 1);
  }
}

TEST_CASE("a pulse goes through tempo and meter, from before bar 1, at odd rates", "[pulse]") {
  for (const int rate : {8000, 44100, 192000}) {
    INFO(rate);
    TestSong t(rate, 20);
    constant(t, rate);
    t.song.tempo = {{Beats(0), 20}, {Beats::ofQuarters(1), 400}, {Beats::ofQuarters(5.5), 90}};
    t.song.meter = {{Beats(0), 7, 8}};
    t.ornament("pulse", "v", -0.5, 9, {{"step", "1/8"}, {"fade_in", 0.0}, {"fade_out", 0.0}, {"length_percent", 50.0}});
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const StereoBuffer y = rowOut(*plan, "v", 0, 8 * rate);
    for (int k = 2; k < 17; ++k) { // every opening on its frame
      const std::int64_t at = map.frameAt(Beats::ofQuarters(-0.5 + 0.5 * k)).count;
      CHECK(y.left()[at] == 0.5f);
      CHECK(y.left()[at - 1] == 0.0f);
    }
  }
}

TEST_CASE("blocks of a pulse are the same in any order", "[pulse]") {
  TestSong t(kRate, 131);
  t.stem("v", 20 * kRate, noise(5, 0.5));
  t.ornament("pulse", "v", 0.5, 30, {{"step", 37.0}, {"levels", List{1.0, 0.0, 0.4, 0.9}}, {"pans", List{-1.0, 1.0}}});
  const auto plan = t.plan();
  const auto node = plan->node("o1");
  REQUIRE(node->plan.anyOrder);
  REQUIRE(node->print->ensure(*plan, *node, {Frames(500000), Frames(501000)}));
  const StereoBuffer late = printOf(*plan, "o1");
  TestSong again(kRate, 131);
  again.stem("v", 20 * kRate, noise(5, 0.5));
  again.ornaments = t.ornaments;
  CHECK(printOf(*again.plan(), "o1") == late);
}

TEST_CASE("pulse: pressed first it opens sixteenths, pressed again it goes through its figures", "[pulse][manners]") {
  TestSong t;
  constant(t);
  const auto plan = t.plan();
  Surroundings around;
  around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
  const BeatRange stretch{Beats::ofQuarters(4), Beats::ofQuarters(8)};
  Ornament o = place(allKinds(), "pulse", plan->song(), "v", stretch, around);
  CHECK(*o.settings.at("length_percent").number() == 60);
  CHECK(*o.settings.at("fade_in").number() == 5);
  CHECK(*o.settings.at("fade_out").number() == 35);
  std::vector<std::string> seen;
  for (int press = 0; press < 3; ++press) {
    Song song = t.song;
    song.ornaments.push_back(o);
    const auto next = pressedAgain(song, "pulse", "v", stretch);
    REQUIRE(next);
    REQUIRE(next->next);
    o = *next->next;
    seen.push_back(o.settings.count("levels") ? compactJson(o.settings.at("levels")) : "");
  }
  CHECK(seen[0] == "[1, 1, 0]");
  CHECK(seen[1] == "[1, 0.35, 0.35, 1, 0.35, 0.35, 1, 0.35]");
  CHECK(seen[2].empty());
}
