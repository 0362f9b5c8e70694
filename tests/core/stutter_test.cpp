#include "ornaments/stutter.h"

#include "manners/first_press.h"
#include "render/facts.h"
#include "test_support/signals.h"

#include "audio/chance.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;
constexpr std::int64_t kFade = 96; // 2 ms

/// The largest step from one frame to the next, of both sides, in [from, to).
double jumpIn(const StereoBuffer& b, std::int64_t from, std::int64_t to) {
  float most = 0;
  for (std::int64_t f = std::max<std::int64_t>(1, from); f < to; ++f)
    most = std::max({most, std::abs(b.left()[f] - b.left()[f - 1]), std::abs(b.right()[f] - b.right()[f - 1])});
  return static_cast<double>(most);
}

/// Where its slices are taken from, as the window shows it.
std::int64_t takenFrom(const RenderPlan& plan, const std::string& id) {
  const auto node = plan.node(id);
  NodeSounds reads(plan, *node);
  return node->kind->takenFrom({*node->ornament, plan.context()}, reads)->count;
}

/// A struck thing: a sine that dies away, with a noise on its attack.
Signal hit(std::int64_t at, double hz, double decaySeconds, double level, std::uint64_t seed) {
  const Signal rough = noise(seed, 1);
  return [=](std::int64_t f, int side) {
    if (f < at) return 0.0f;
    const double t = static_cast<double>(f - at) / kRate;
    const double body = std::sin(2 * std::numbers::pi * hz * t) * std::exp(-t / decaySeconds);
    const double attack = static_cast<double>(rough(f, side)) * std::exp(-t / 0.004);
    return static_cast<float>(level * (0.7 * body + 0.3 * attack));
  };
}

/// A syllable: a breathy consonant that swells within 2 to 8 ms, then a voice within 10 to 30 more.
Signal syllable(std::int64_t at, double hz, double level, std::uint64_t seed) {
  Chance draw(seed);
  const double consonant = 0.002 + 0.006 * draw.unit(), length = 0.02 + 0.06 * draw.unit(),
               voice = 0.01 + 0.02 * draw.unit();
  const Signal rough = noise(seed + 99, 1);
  return [=](std::int64_t f, int side) {
    if (f < at) return 0.0f;
    const double t = static_cast<double>(f - at) / kRate;
    const double hiss = std::min(1.0, t / consonant) * (t < length ? 1 : std::exp(-(t - length) / 0.01));
    double sung = 0;
    if (t > length)
      for (int k = 1; k <= 12; ++k)
        sung += std::sin(2 * std::numbers::pi * hz * k * t) / k * std::min(1.0, (t - length) / voice);
    return static_cast<float>(level * (0.25 * hiss * static_cast<double>(rough(f, side)) + 0.35 * sung));
  };
}

} // namespace

TEST_CASE("repeats stand on their frames and are the same samples, sixty-four of them", "[stutter]") {
  for (const double bpm : {86.0, 104.3, 174.0}) {
    INFO(bpm);
    TestSong t(kRate, bpm);
    t.stem("v", 20 * kRate, noise(3, 0.7));
    t.ornament("stutter", "v", 2.5, 16);
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const auto border = [&](int k) { return map.frameAt(Beats::ofQuarters(2.5 + 0.25 * k)).count; };
    const std::int64_t end = border(64);
    const StereoBuffer y = rowOut(*plan, "v", 0, end + 5000);
    const StereoBuffer x = fill(end + 5000, noise(3, 0.7));
    const std::int64_t shortest = border(1) - border(0);
    std::int64_t apart = 0;
    for (int k = 0; k < 64; ++k)
      for (std::int64_t i = 0; i < std::min(border(k + 1) - border(k), shortest) - kFade; ++i)
        apart +=
            y.left()[border(k) + i] != x.left()[border(0) + i] || y.right()[border(k) + i] != x.right()[border(0) + i];
    CHECK(apart == 0);
    // Before its first hand-over and from the frame where it ends the row is what it was.
    std::int64_t changed = 0;
    for (std::int64_t f = 0; f < border(0) - kFade; ++f) changed += y.left()[f] != x.left()[f];
    for (std::int64_t f = end; f < end + 5000; ++f) changed += y.left()[f] != x.left()[f];
    CHECK(changed == 0);
  }
}

TEST_CASE("the attack near the start is found, of hits and of syllables, and sounds on the grid", "[stutter]") {
  Chance draw(7);
  std::vector<double> off;
  for (int i = 0; i < tries(64); ++i) {
    const bool sung = i % 2 != 0;
    // Up to a sixteenth away from the grid, over a bed of noise 45 dB down.
    const std::int64_t at = 48000 + std::llround((draw.unit() * 0.16 - 0.06) * kRate);
    const double hz = sung ? 110 * std::exp2(2 * draw.unit()) : 60 * std::exp2(4 * draw.unit());
    const double level = 0.1 + 0.7 * draw.unit();
    const Signal what = sung ? syllable(at, hz, level, static_cast<std::uint64_t>(i))
                             : hit(at, hz, 0.05 + 0.3 * draw.unit(), level, static_cast<std::uint64_t>(i));
    const Signal bed = noise(1000 + static_cast<std::uint64_t>(i), level * 0.005);
    TestSong t(kRate, 120);
    t.stem("v", 2 * kRate, [&](std::int64_t f, int side) { return what(f, side) + bed(f, side); });
    t.ornament("stutter", "v", 2, 1, {{"snap_to_onset", true}, {"slice", "1/8"}});
    const auto plan = t.plan();
    const std::int64_t found = takenFrom(*plan, "o1");
    off.push_back(std::abs(static_cast<double>(found - at)) / kRate * 1000);
    INFO((sung ? "syllable " : "hit ") << i << ": " << off.back() << " ms");
    CHECK(off.back() <= 3);
    // What is taken there is heard on the grid.
    const StereoBuffer y = rowOut(*plan, "v", 48000, 14000),
                       x = fill(2 * kRate, [&](std::int64_t f, int side) { return what(f, side) + bed(f, side); });
    CHECK(y.left()[1000] == x.left()[found + 1000]);
    CHECK(y.left()[12000 + 1000] == x.left()[found + 1000]);
  }
}

TEST_CASE("taken by hand, the slice begins so many milliseconds later, to the sample", "[stutter]") {
  TestSong t;
  t.stem("v", 5 * kRate, noise(9, 0.5));
  t.ornament("stutter", "v", 2, 1, {{"take_from_ms", -31.25}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 2 * kRate), x = fill(2 * kRate, noise(9, 0.5));
  CHECK(takenFrom(*t.plan(), "o1") == 48000 - 1500);
  for (const std::int64_t i : {0, 1, 777, 5000}) CHECK(y.left()[54000 + i] == x.left()[48000 - 1500 + i]);
}

TEST_CASE("no cell's edge jumps more than the material does", "[stutter]") {
  for (const Settings& s :
       std::vector<Settings>{{},
                             {{"slice", 7.0}},
                             {{"gate_percent", 35.0}},
                             {{"reverse_every", 2.0}},
                             {{"gains_db", List{0.0, Value(), -6.0}}, {"pan_pattern", List{-1.0, 1.0}}},
                             {{"pitches", List{0.0, -5.0, -12.0}}},
                             {{"order", List{3.0, 1.0, 2.0}}, {"slice", "1/16t"}},
                             {{"pattern", List{List{"1/8", 1.0}, List{"1/32", 3.0}}}, {"pattern_fill", "cycle"}},
                             {{"remove_dry", false}, {"gain_step_db", -1.0}}}) {
    TestSong t(kRate, 117);
    t.stem("v", 8 * kRate, sine(61.7, kRate, 0.5));
    t.ornament("stutter", "v", 1.1, 6.37, s);
    const StereoBuffer y = rowOut(*t.plan(), "v", 0, 6 * kRate);
    INFO(compactJson(Value(s.empty() ? Object{} : Object{{s.begin()->first, s.begin()->second}})));
    // 61.7 Hz at 0.5 moves by 0.004 a frame; an equal-power hand-over of 96 frames (or half a cell) between any two of
    // its phases by 0.5·π/2/96 more on each side.
    const double most = 0.0041 + 2 * 0.5 * std::numbers::pi / 2 / 96;
    CHECK(jumpIn(y, 0, y.frames()) < (s.count("remove_dry") ? 2 : 1) * most);
  }
}

TEST_CASE("slices in their own order are the row itself", "[stutter]") {
  TestSong t(kRate, 104);
  t.stem("v", 10 * kRate, noise(4, 0.6));
  List order;
  for (int i = 1; i <= 16; ++i) order.emplace_back(static_cast<double>(i));
  t.ornament("stutter", "v", 3, 4, {{"order", order}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 9 * kRate), x = fill(9 * kRate, noise(4, 0.6));
  double off = 0;
  for (std::int64_t f = 0; f < y.frames(); ++f)
    off = std::max(off, static_cast<double>(std::abs(y.left()[f] - x.left()[f])));
  // Where it comes in and where the row returns the same sound is faded against itself: rounding, and at the end 2 ms.
  const std::int64_t end = t.plan()->map().frameAt(Beats::ofQuarters(7)).count;
  CHECK(off < 1e-6);
  CHECK(jumpIn(y, end - 10, end + 10) <= jumpIn(x, end - 10, end + 10) + 1e-6);
}

TEST_CASE("each cell has its own slice, level, side, direction and pitch", "[stutter]") {
  TestSong t(kRate, 120);
  // A ramp that tells its place: frame f of the source is f / 200000.
  t.stem("v", 4 * kRate, [](std::int64_t f, int) { return static_cast<float>(f) / 200000; });
  t.ornament("stutter", "v", 2, 2,
             {{"order", List{1.0, 3.0, 2.0, 4.0}},
              {"gains_db", List{0.0, -6.0, Value(), -12.0}},
              {"gain_step_db", -1.0},
              {"reversed", List{false, false, false, true}},
              {"pan_pattern", List{0.0, 1.0, 0.0}},
              {"fade_ms", 0.0}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 2 * kRate);
  const auto cell = [](int k) { return 48000 + 6000 * k; };
  const auto at = [](std::int64_t f) { return static_cast<double>(f) / 200000; };
  const auto db = [](double v) { return std::pow(10, v / 20); };
  CHECK(static_cast<double>(y.left()[cell(0) + 100]) == Approx(at(cell(0) + 100)).margin(1e-6));
  CHECK(static_cast<double>(y.right()[cell(1) + 100]) == Approx(db(-7) * at(cell(2) + 100)).margin(1e-6));
  CHECK(y.left()[cell(1) + 100] == Approx(0).margin(1e-6));
  CHECK(y.left()[cell(2) + 100] == 0);
  CHECK(static_cast<double>(y.left()[cell(3) + 100]) == Approx(db(-15) * at(cell(3) + 5999 - 100)).margin(1e-6));
  CHECK(static_cast<double>(y.right()[cell(4) + 100]) == Approx(db(-4) * at(cell(0) + 100)).margin(1e-6));
  CHECK(static_cast<double>(y.right()[cell(7) + 100]) == Approx(db(-19) * at(cell(3) + 5999 - 100)).margin(1e-6));
}

TEST_CASE("pitched cells run faster or slower, band-limited, as far as steps may add up", "[stutter]") {
  TestSong t(kRate, 60);
  t.stem("v", 30 * kRate, sine(1000, kRate, 0.5));
  t.ornament("stutter", "v", 2, 12,
             {{"slice", "1/4"}, {"pitches", List{0.0, 12.0, -12.0}}, {"pitch_step_semitones", 12.0}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 14 * kRate);
  const std::vector<double> semitones{0, 24, 12, 24, 24, 24}; // 12·k more each time, 24 at most
  for (std::size_t k = 0; k < semitones.size(); ++k) {
    const double hz = 1000 * std::exp2(semitones[k] / 12);
    const float* x = y.left() + (2 + static_cast<std::int64_t>(k)) * kRate + 2000;
    CHECK(toneLevel(x, 44000, hz, kRate) == Approx(0.5).margin(0.005));
  }
}

TEST_CASE("a run goes from note value to note value, and its last one goes on or it begins again", "[stutter]") {
  for (const bool cycle : {false, true}) {
    TestSong t(kRate, 104.3);
    t.stem("v", 10 * kRate, only(0, 48000 * 9, noise(6, 0.5)));
    t.ornament("stutter", "v", 1, 4,
               {{"pattern", List{List{"1/8", 2.0}, List{"1/16t", 3.0}, List{"1/32", 2.0}}},
                {"pattern_fill", cycle ? "cycle" : "last"}});
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const StereoBuffer y = rowOut(*plan, "v", 0, 6 * kRate), x = fill(6 * kRate, noise(6, 0.5));
    const std::vector<double> run{0.5, 0.5, 1.0 / 6, 1.0 / 6, 1.0 / 6, 0.125, 0.125};
    double at = 1;
    int cells = 0;
    const std::int64_t start = map.frameAt(Beats::ofQuarters(1)).count;
    for (std::size_t k = 0; at < 5 - 0.01; ++k, ++cells) {
      const double length = k < run.size() ? run[k] : cycle ? run[k % run.size()] : 0.125;
      // On the tick each is taken from the beat anew; a third of a quarter is 430080 ticks, exact.
      const std::int64_t f = map.frameAt(Beats::ofQuarters(at)).count;
      CHECK(y.left()[f] == x.left()[start]);
      CHECK(y.left()[f + 700] == x.left()[start + 700]);
      at += length;
    }
    CHECK(cells == (cycle ? 15 : 25));
  }
}

TEST_CASE("so many cells and no more; a gate closes each", "[stutter]") {
  TestSong t(kRate, 120);
  t.stem("v", 5 * kRate, noise(8, 0.5));
  t.ornament("stutter", "v", 2, 4, {{"count", 3.0}, {"gate_percent", 50.0}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 4 * kRate), x = fill(4 * kRate, noise(8, 0.5));
  for (int k = 0; k < 3; ++k) {
    const std::int64_t at = 48000 + 6000 * k;
    CHECK(y.left()[at + 2800] == x.left()[48000 + 2800]);
    for (std::int64_t i = 3000; i < 6000 - kFade; ++i) REQUIRE(y.left()[at + i] == 0);
  }
  for (std::int64_t f = 48000 + 18000; f < 4 * kRate; ++f) REQUIRE(y.left()[f] == x.left()[f]);
}

TEST_CASE("a stutter of something else, before bar 1, through tempo and meter, at odd rates", "[stutter]") {
  for (const int rate : {8000, 44100, 192000}) {
    INFO(rate);
    TestSong t(rate, 20);
    t.stem("v", 12 * rate, noise(1, 0.1));
    t.stem("w", 12 * rate, noise(2, 0.5));
    t.song.tempo = {{Beats(0), 20}, {Beats::ofQuarters(1), 400}, {Beats::ofQuarters(5.5), 90}};
    t.song.meter = {{Beats(0), 7, 8}};
    Ornament& o = t.ornament("stutter", "v", -0.25, 8, {{"slice", "1/8"}});
    o.source = {{std::string("w"), Beats::ofQuarters(6), Beats::ofQuarters(0.5), 0}};
    const auto plan = t.plan();
    const TempoMap& map = plan->map();
    const StereoBuffer y = rowOut(*plan, "v", 0, 9 * rate), w = fill(9 * rate, noise(2, 0.5));
    const std::int64_t piece = map.frameAt(Beats::ofQuarters(6)).count, in = std::llround(0.002 * rate);
    for (int k = 1; k < 16; ++k) {
      const std::int64_t at = map.frameAt(Beats::ofQuarters(-0.25 + 0.5 * k)).count;
      CHECK(y.left()[at + in + 5] == w.left()[piece + in + 5]); // after the piece's own edge
    }
  }
}

TEST_CASE("blocks of a stutter are the same in any order", "[stutter]") {
  const Settings s{{"pattern", List{List{"1/16", 3.0}, List{11.0, 5.0}}},
                   {"pattern_fill", "cycle"},
                   {"pitches", List{0.0, 3.0, -4.0}},
                   {"reverse_every", 3.0},
                   {"order", List{1.0, 2.0, 7.0}},
                   {"snap_to_onset", true}};
  TestSong t(kRate, 131);
  t.stem("v", 20 * kRate, noise(5, 0.5));
  t.ornament("stutter", "v", 0.5, 30, s);
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

TEST_CASE("stutter: pressed first it takes the attack in sixteenths, pressed again eighths, then a run",
          "[stutter][manners]") {
  TestSong t;
  t.stem("v", 10 * kRate, hit(97000, 200, 0.3, 0.5, 1));
  const auto plan = t.plan();
  Surroundings around;
  around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
  const BeatRange stretch{Beats::ofQuarters(4), Beats::ofQuarters(6)};
  Ornament o = place(allKinds(), "stutter", plan->song(), "v", stretch, around);
  CHECK(*o.settings.at("snap_to_onset").boolean());
  CHECK(!o.settings.count("slice"));
  std::vector<std::string> seen;
  for (int press = 0; press < 3; ++press) {
    Song song = t.song;
    song.ornaments.push_back(o);
    const auto next = pressedAgain(song, "stutter", "v", stretch);
    REQUIRE(next);
    REQUIRE(next->next);
    o = *next->next;
    seen.push_back(o.settings.count("pattern") ? compactJson(o.settings.at("pattern"))
                   : o.settings.count("slice") ? *o.settings.at("slice").text()
                                               : "");
  }
  CHECK(seen == std::vector<std::string>{"1/8", R"([["1/8", 2], ["1/16", 2], ["1/32", 1]])", ""});
}

TEST_CASE("first presses of what cuts time do something musical on thirty-two made rows, untouched",
          "[manners][heavy]") {
  // Words, chords, drums and hats, each quiet and loud, a little late, over noise, at four tempos.
  int places = 0;
  for (const double bpm : {72.0, 104.0, 128.0, 174.0})
    for (int what = 0; what < 4; ++what)
      for (const double level : {0.08, 0.5}) {
        const double beat = 60 / bpm * kRate;
        const Signal bed = noise(9, level * 0.01);
        // Every beat a little late, as people play.
        std::vector<Signal> beats;
        for (int b = 0; b < 16; ++b) {
          const auto at = std::llround(b * beat + 0.008 * kRate);
          beats.push_back(what == 0   ? syllable(at, 180, level, static_cast<std::uint64_t>(b))
                          : what == 1 ? hit(at, 220, 3, level, static_cast<std::uint64_t>(b))
                          : what == 2 ? hit(at, 70, 0.15, level, static_cast<std::uint64_t>(b))
                                      : hit(at, 7000, 0.03, level, static_cast<std::uint64_t>(b)));
        }
        TestSong t(kRate, bpm);
        t.stem("v", std::llround(16 * beat), [&](std::int64_t f, int side) {
          const auto b = std::min<std::size_t>(15, static_cast<std::size_t>(static_cast<double>(f) / beat));
          const Signal& now = beats[b];
          const Signal& former = beats[b > 0 ? b - 1 : 0];
          const double into = static_cast<double>(f) - static_cast<double>(b) * beat; // until the new one sounds
          return bed(f, side) + (into < 0.008 * kRate ? former(f, side) : now(f, side));
        });
        const auto plan = t.plan();
        Surroundings around;
        around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
        for (const char* kind : {"stutter", "pulse", "glitch"}) {
          INFO(kind << " on " << what << " at " << level << ", " << bpm);
          const BeatRange stretch{Beats::ofQuarters(4), Beats::ofQuarters(8)};
          Ornament o = place(allKinds(), kind, plan->song(), "v", stretch, around);
          o.id = "o1";
          TestSong with(kRate, bpm);
          with.stem("v", 48, silence());
          with.audio = t.audio;
          with.song = t.song;
          with.ornaments = {o};
          const StereoBuffer print = printOf(*with.plan(), "o1");
          const StereoBuffer row = rowOut(*plan, "v", std::llround(4 * beat), std::llround(4 * beat));
          // It is heard, and no louder than what was there.
          CHECK(largest(print) > 0.2f * largest(row));
          CHECK(largest(print) < 1.3f * largest(row));
          ++places;
        }
      }
  CHECK(places >= 90);
}
