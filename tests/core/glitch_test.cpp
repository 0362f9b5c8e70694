#include "ornaments/glitch.h"

#include "dsp/measure/spectrum.h"
#include "manners/first_press.h"
#include "render/facts.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;
constexpr std::int64_t kFade = 96; // 2 ms

GlitchShape shapeOf(TestSong& t) {
  const auto plan = t.plan();
  static std::shared_ptr<const RenderPlan> kept; // its shape looks into its map
  kept = plan;
  return GlitchShape({*plan->ornament("o1"), plan->context()});
}

} // namespace

TEST_CASE("as many steps freeze as chance says, and none that is protected", "[glitch]") {
  TestSong t(kRate, 400);
  t.stem("v", kRate, silence());
  t.ornament("glitch", "v", 0, 2500, {{"chance_percent", List{0.0, 35.0, 80.0, 100.0}}});
  for (const int seed : {1, 2, 12345}) {
    t.ornaments[0].seed = seed;
    const GlitchShape shape = shapeOf(t);
    REQUIRE(shape.end() == 10000);
    int fired[4] = {};
    for (std::int64_t k = 0; k < 10000; ++k) fired[k % 4] += shape.drawn(k) ? 1 : 0;
    CHECK(fired[0] == 0);
    CHECK(fired[3] == 2500);
    // Four standard deviations of a binomial draw.
    CHECK(fired[1] == Approx(2500 * 0.35).margin(4 * std::sqrt(2500 * 0.35 * 0.65)));
    CHECK(fired[2] == Approx(2500 * 0.8).margin(4 * std::sqrt(2500 * 0.8 * 0.2)));
  }
}

TEST_CASE("the draw stays when the ornament moves by bars or begins later in its bar, and the seed changes it",
          "[glitch]") {
  TestSong t(kRate, 104);
  t.stem("v", kRate, silence());
  const Settings s{{"chance_percent", List{50.0}}, {"bars", 2.0}};
  t.ornament("glitch", "v", 8, 16, s);
  const GlitchShape first = shapeOf(t);
  std::vector<std::pair<double, double>> drawn;
  for (std::int64_t k = 0; k < 64; ++k) {
    const auto d = first.drawn(k);
    drawn.emplace_back(d ? d->loopSeconds : 0, d ? d->semitones : 99);
  }
  const auto same = [&](std::int64_t from) {
    const GlitchShape now = shapeOf(t);
    int alike = 0, of = 0;
    for (std::int64_t k = std::max(from, now.first()); k < 64; ++k, ++of) {
      const auto d = now.drawn(k);
      alike += drawn[static_cast<std::size_t>(k)] == std::pair(d ? d->loopSeconds : 0, d ? d->semitones : 99);
    }
    return alike * 100 / of;
  };
  t.ornaments[0].start = Beats::ofQuarters(-12);
  CHECK(same(0) == 100);
  t.ornaments[0].start = Beats::ofQuarters(41.75);
  CHECK(same(7) == 100);
  t.ornaments[0].seed = 2;
  CHECK(same(7) < 60);
}

TEST_CASE("the list of chances begins again after its bars, in any meter", "[glitch]") {
  TestSong t(kRate, 120);
  t.stem("v", kRate, silence());
  t.song.meter = {{Beats(0), 7, 8}};
  List list;
  for (int i = 0; i < 100; ++i) list.emplace_back(static_cast<double>(i));
  t.ornament("glitch", "v", 3.5, 30, {{"chance_percent", list}, {"bars", 2.0}});
  const GlitchShape shape = shapeOf(t); // two bars of 7/8 are 28 sixteenths; it begins on a bar line
  for (const auto& [k, place] : {std::pair(0, 0), {27, 27}, {28, 0}, {55, 27}, {56, 0}, {60, 4}})
    CHECK(shape.place(k, 100) == static_cast<std::size_t>(place));
}

TEST_CASE("all steps of a glitch are looked at for what one costs, and so many are refused", "[glitch]") {
  TestSong t(kRate, 120);
  t.stem("v", kRate, silence());
  t.song.meter = {{Beats(0), 7, 8}, {Beats::ofQuarters(35), 3, 4}};
  t.song.tempo.push_back({Beats::ofQuarters(20), 90});
  for (const Value& step : {Value("1/16"), Value("1/8t"), Value(77.0)})
    for (const double start : {3.5, 5.25, 40.0}) {
      t.ornaments.clear();
      t.ornament("glitch", "v", start, 70,
                 {{"chance_percent", List{100.0, 0.0, 40.0, 75.0, 20.0}}, {"bars", 2.0}, {"step", step}});
      const GlitchShape shape = shapeOf(t);
      const std::vector<bool> all = shape.freezing();
      REQUIRE(static_cast<std::int64_t>(all.size()) == shape.end() - shape.first());
      std::int64_t differ = 0;
      for (std::int64_t k = shape.first(); k < shape.end(); ++k)
        differ += all[static_cast<std::size_t>(k - shape.first())] != shape.drawn(k).has_value();
      CAPTURE(start, shape.end());
      CHECK(differ == 0);
    }
  t.song.tempo = {{Beats(0), 240}}; // two steps a beat
  t.song.meter = {{Beats(0), 4, 4}};
  for (const auto& [beats, refused] : {std::pair(32767.0, false), {32770.0, true}}) {
    t.ornaments.clear();
    t.ornament("glitch", "v", 0, beats, {{"chance_percent", List{0.0}}, {"step", Value("1/8")}});
    t.plan();
    CHECK(t.problems.hasErrors() == refused);
    CHECK((t.problems.list.size() == 1 && t.problems.list[0].text().find("65536") != std::string::npos) == refused);
  }
}

TEST_CASE("what does not freeze is the row, bit by bit; what freezes takes nothing new in", "[glitch]") {
  TestSong t(kRate, 120);
  t.stem("v", 6 * kRate, noise(3, 0.4));
  t.ornament("glitch", "v", 2, 4, {{"chance_percent", List{0.0, 100.0, 0.0, 0.0}}, {"loop", List{20.0, 60.0}}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 4 * kRate), x = fill(4 * kRate, noise(3, 0.4));
  std::int64_t apart = 0;
  for (std::int64_t f = 0; f < 4 * kRate; ++f) {
    const std::int64_t step = (f - 48000) / 6000, in = (f - 48000) - step * 6000;
    const bool inside = f >= 48000 && f < 48000 + 16 * 6000;
    const bool frozen = inside && step % 4 == 1, entering = inside && step % 4 == 0 && in >= 6000 - kFade;
    if (!frozen && !entering) apart += y.left()[f] != x.left()[f] || y.right()[f] != x.right()[f];
  }
  CHECK(apart == 0);
  // Another row under the frozen steps: the same print.
  TestSong other(kRate, 120);
  const Signal was = noise(3, 0.4), loud = noise(77, 0.9);
  other.stem("v", 6 * kRate, [&](std::int64_t f, int side) {
    const bool under = f >= 48000 && (f - 48000) / 6000 % 4 == 1 && f < 48000 + 16 * 6000;
    return under ? loud(f, side) : was(f, side);
  });
  other.ornaments = t.ornaments;
  CHECK(printOf(*other.plan(), "o1") == printOf(*t.plan(), "o1"));
}

TEST_CASE("a frozen step repeats what was just heard, at its own pitch", "[glitch]") {
  TestSong t(kRate, 60);
  t.stem("v", 20 * kRate, sine(400, kRate, 0.5));
  // 50 ms hold 20 periods.
  t.ornament(
      "glitch", "v", 1, 16,
      {{"step", "1/4"}, {"chance_percent", List{100.0}}, {"loop", List{50.0, 50.0}}, {"pitch_spread_semitones", 12.0}});
  const GlitchShape shape = shapeOf(t);
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 18 * kRate);
  for (std::int64_t k = shape.first(); k < shape.end(); ++k) {
    const double hz = 400 * std::exp2(shape.drawn(k)->semitones / 12);
    CHECK(toneLevel(y.left() + shape.frames(k).begin.count + 1000, 44000, hz, kRate) == Approx(0.5).margin(0.01));
  }
}

TEST_CASE("a glide ends at the step's own pitch", "[glitch]") {
  TestSong t(kRate, 60);
  t.stem("v", 20 * kRate, sine(400, kRate, 0.5));
  t.ornament("glitch", "v", 4, 8,
             {{"step", "1/2"},
              {"chance_percent", List{100.0}},
              {"loop", List{50.0, 50.0}},
              {"glide_percent", 50.0},
              {"pitch_spread_semitones", 12.0}});
  const GlitchShape shape = shapeOf(t);
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 18 * kRate);
  for (std::int64_t k = shape.first(); k < shape.end(); ++k) {
    const double own = 400 * std::exp2(shape.drawn(k)->semitones / 12);
    const float* x = y.left() + shape.frames(k).begin.count;
    CHECK(toneLevel(x + 49000, 46000, own, kRate) == Approx(0.5).margin(0.01));
    // Half-way through the glide it is half-way in speed.
    const double middle = (400 + own) / 2;
    CHECK(toneLevel(x + 24000 - 480, 960, middle, kRate) > 0.44);
  }
}

TEST_CASE("the band sweeps, the other way on the right, and is not loud", "[glitch]") {
  TestSong t(kRate, 60);
  t.stem("v", 6 * kRate, [s = noise(5, 0.3)](std::int64_t f, int) { return s(f, 0); });
  t.ornament("glitch", "v", 2, 1,
             {{"step", "1/4"},
              {"chance_percent", List{100.0}},
              {"loop", List{500.0, 500.0}},
              {"pitch_spread_semitones", 0.0},
              {"resonance_percent", 80.0},
              {"sweep_hz", List{200.0, 6400.0}}});
  const StereoBuffer y = rowOut(*t.plan(), "v", 0, 4 * kRate);
  const auto at = [&](const float* side, double u, double hz) { // power of a third about hz, by tones
    double power = 0;
    const float* x = side + 2 * kRate + std::llround(u * kRate) - 2400;
    for (double f = hz * 0.9; f < hz * 1.1; f += hz * 0.02) power += std::pow(toneLevel(x, 4800, f, kRate), 2);
    return 10 * std::log10(power);
  };
  for (const double u : {0.2, 0.5, 0.8}) { // 200 Hz · 32^u
    const double left = 200 * std::pow(32, u), right = 200 * std::pow(32, 1 - u);
    CHECK(at(y.left(), u, left) - at(y.left(), u, left * 3) > 12);
    CHECK(at(y.right(), u, right) - at(y.right(), u, right * 3) > 12);
  }
  CHECK(rmsDb(y.left() + 2 * kRate + 2000, 44000) < rmsDb(fill(kRate, noise(5, 0.3)).left(), kRate) + 1);
}

TEST_CASE("a crushed step stands on its levels and holds its rate", "[glitch]") {
  TestSong t(kRate, 120);
  t.stem("v", 4 * kRate, noise(5, 0.8));
  t.ornament("glitch", "v", 2, 1,
             {{"step", "1/4"},
              {"chance_percent", List{100.0}},
              {"pitch_spread_semitones", 0.0},
              {"bits", 5.0},
              {"rate_hz", 6000.0}});
  const StereoBuffer y = printOf(*t.plan(), "o1");
  int held = 0;
  for (std::int64_t f = kFade + 10; f < 20000; ++f) {
    const float x = y.left()[f] * 16;
    REQUIRE(x == std::round(x));
    held += y.left()[f] == y.left()[f - 1];
  }
  CHECK(held > 19000 * 7 / 8);
}

TEST_CASE("no entry and no exit of a glitch clicks, at any setting", "[glitch]") {
  for (const Settings& more : std::vector<Settings>{{},
                                                    {{"step", 9.0}, {"loop", List{2.0, 3.0}}},
                                                    {{"resonance_percent", 90.0}, {"sweep_hz", List{100.0, 200.0}}},
                                                    {{"pitch_spread_semitones", 0.0}, {"mix_percent", 60.0}},
                                                    {{"chance_percent", List{100.0}}}}) {
    TestSong t(kRate, 117);
    t.stem("v", 8 * kRate, sine(61.7, kRate, 0.5));
    Settings s{{"chance_percent", List{50.0}}, {"loop", List{"1/64", "1/16"}}, {"pitch_spread_semitones", 3.0}};
    for (const auto& [key, value] : more) s[key] = value;
    t.ornament("glitch", "v", 1.1, 9.37, s);
    const StereoBuffer y = rowOut(*t.plan(), "v", 0, 6 * kRate);
    double jump = 0;
    for (std::int64_t f = 1; f < y.frames(); ++f)
      jump = std::max({jump, static_cast<double>(std::abs(y.left()[f] - y.left()[f - 1])),
                       static_cast<double>(std::abs(y.right()[f] - y.right()[f - 1]))});
    INFO((more.empty() ? "plain" : more.begin()->first));
    // The tone moves by 0.004 a frame (a fifth more three semitones up, twice that in a band that rings); a loop of
    // 2 ms joins within a quarter of it, 24 frames; everything else within 96.
    const bool tiny = more.count("step") != 0;
    CHECK(jump < 0.012 + 2 * 0.5 * std::numbers::pi / 2 / (tiny ? 24 : 96));
  }
}

TEST_CASE("a roll that is kept sounds the same to the bit, and is there to be edited", "[glitch]") {
  for (const bool notes : {false, true}) {
    TestSong t(kRate, 97.3);
    t.stem("v", 12 * kRate, noise(11, 0.5));
    t.ornament("glitch", "v", 1.5, 12,
               {{"chance_percent", List{0.0, 60.0, 40.0}},
                {"loop", notes ? List{"1/64", "1/16"} : List{13.0, 77.0}},
                {"pitch_spread_semitones", 7.0},
                {"glide_percent", 30.0},
                {"resonance_percent", 40.0},
                {"rate_hz", 9000.0}});
    const auto plan = t.plan();
    const StereoBuffer rolled = printOf(*plan, "o1");
    auto kept = Glitch().cells({*plan->ornament("o1"), plan->context()})->withRoll(Cells::Roll::kept);
    REQUIRE(kept);
    kept->seed = 999; // chance has no say any more
    t.ornaments[0] = *kept;
    CHECK(printOf(*t.plan(), "o1") == rolled);
  }
  TestSong t(kRate, 400); // more steps than a list holds
  t.stem("v", kRate, silence());
  t.ornament("glitch", "v", 0, 300, {{"chance_percent", List{50.0}}});
  const auto plan = t.plan();
  CHECK_FALSE(Glitch().cells({*plan->ornament("o1"), plan->context()})->withRoll(Cells::Roll::kept));
}

TEST_CASE("blocks of a glitch are the same in any order, through tempo and meter, at odd rates", "[glitch]") {
  for (const int rate : {8000, 44100, 192000}) {
    INFO(rate);
    const auto make = [&](TestSong& t) {
      t.stem("v", 12 * rate, noise(5, 0.5));
      t.song.tempo = {{Beats(0), 20}, {Beats::ofQuarters(1), 400}, {Beats::ofQuarters(5.5), 90}};
      t.song.meter = {{Beats(0), 5, 4}};
      t.ornament(
          "glitch", "v", -0.5, 14,
          {{"chance_percent", List{70.0}}, {"resonance_percent", 50.0}, {"glide_percent", 100.0}, {"step", "1/8t"}});
    };
    TestSong t(rate, 20), again(rate, 20);
    make(t);
    make(again);
    const auto plan = t.plan();
    const auto node = plan->node("o1");
    REQUIRE(node->plan.anyOrder);
    REQUIRE(node->print->ensure(*plan, *node, {Frames(5 * rate), Frames(5 * rate + 1000)}));
    CHECK(printOf(*plan, "o1") == printOf(*again.plan(), "o1"));
  }
}

TEST_CASE("glitch: pressed first it spares the strong beats, pressed again it rolls", "[glitch][manners]") {
  TestSong t;
  t.stem("v", 10 * kRate, noise(1, 0.3));
  for (const auto& [count, unit, strong] : std::vector<std::tuple<int, int, std::vector<std::size_t>>>{
           {4, 4, {0, 8}}, {3, 4, {0}}, {7, 8, {0}}, {6, 8, {0, 6}}}) {
    t.song.meter = {{Beats(0), count, unit}};
    const auto plan = t.plan();
    Surroundings around;
    around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
    const BeatRange stretch{Beats::ofQuarters(4), Beats::ofQuarters(8)};
    Ornament o = place(allKinds(), "glitch", plan->song(), "v", stretch, around);
    const List& chances = *o.settings.at("chance_percent").list();
    REQUIRE(chances.size() == static_cast<std::size_t>(16 * count / unit));
    for (std::size_t i = 0; i < chances.size(); ++i)
      CHECK(*chances[i].number() == (std::count(strong.begin(), strong.end(), i) ? 0 : 35));
    Song song = t.song;
    song.ornaments.push_back(o);
    const auto next = pressedAgain(song, "glitch", "v", stretch);
    REQUIRE((next && next->next));
    CHECK(next->next->seed == 2);
    CHECK(next->next->settings == o.settings);
  }
}
