#include "audio/dither.h"
#include "ornaments/delay_throw_settings.h"
#include "test_support/any_settings.h"
#include "test_support/signals.h"
#include "time/note_value.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// A short band-limited burst, its centre on a frame: its place and level can be told to fractions.
constexpr std::int64_t kBurstHalf = 240;
float burst(std::int64_t at) {
  if (std::abs(at) > kBurstHalf) return 0;
  const double t = static_cast<double>(at) / kRate;
  return static_cast<float>(0.5 * std::exp(-0.5 * t * t / (0.0008 * 0.0008)) * std::cos(2 * M_PI * 1500 * t));
}
Signal burstAt(std::int64_t centre, bool left = true, bool right = true) {
  return [=](std::int64_t f, int side) { return (side ? right : left) ? burst(f - centre) : 0.0f; };
}

struct Found {
  double frame, level;
};
/// Where the burst is within ±`reach` of `expected`, by correlation, and its level against the burst as sent.
Found findBurst(const float* x, std::int64_t n, double expected, std::int64_t reach = 6) {
  const auto centre = std::llround(expected);
  double energy = 0;
  for (std::int64_t k = -kBurstHalf; k <= kBurstHalf; ++k) energy += static_cast<double>(burst(k)) * burst(k);
  std::vector<double> c;
  for (std::int64_t d = -reach; d <= reach; ++d) {
    double sum = 0;
    for (std::int64_t k = -kBurstHalf; k <= kBurstHalf; ++k)
      if (const std::int64_t i = centre + d + k; i >= 0 && i < n) sum += static_cast<double>(x[i]) * burst(k);
    c.push_back(sum / energy);
  }
  std::size_t best = 1;
  for (std::size_t i = 1; i + 1 < c.size(); ++i)
    if (std::abs(c[i]) > std::abs(c[best])) best = i;
  const double a = c[best - 1], b = c[best], d = c[best + 1], curve = a - 2 * b + d;
  const double shift = curve == 0 ? 0 : 0.5 * (a - d) / curve;
  return {static_cast<double>(centre + static_cast<std::int64_t>(best) - reach) + shift, b - 0.25 * (a - d) * shift};
}

/// One throw from beat 1 for two beats over a stem with a burst 4800 frames after beat 1.
struct Throw {
  TestSong t;
  std::int64_t start = 0, centre = 0;
  Throw(double bpm, Settings s, bool left = true, bool right = true)
      : t(48000, bpm) {
    start = t.song.tempoMap().frameAt(Beats::ofQuarters(1)).count;
    centre = start + 4800;
    t.stem("voice", start + 60000, burstAt(centre, left, right));
    t.ornament("delay-throw", "voice", 1, 2, std::move(s));
  }
  StereoBuffer print() { return printOf(*t.plan(), "o1"); }
};

} // namespace

TEST_CASE("32 echoes stand where they belong, at their level", "[throw][slow][heavy]") {
  // ±1 frame and ±0.1 dB, as stated; at three tempi, three note values, every pattern, each side.
  for (const double bpm : {86.0, 104.0, 174.0})
    for (const char* value : {"1/8", "1/8.", "1/4t"})
      for (const char* pattern : {"straight", "ping-pong", "cross"}) {
        Throw x(bpm, {{"time_left", value}, {"time_right", value}, {"pattern", pattern}, {"feedback_percent", 95.0}});
        const StereoBuffer p = x.print();
        const double time = NoteValue::parse(value)->seconds(x.t.song.tempoMap(), Beats::ofQuarters(1)).value * kRate;
        double worstFrame = 0, worstDb = 0;
        for (int k = 1; k <= 32; ++k) {
          const bool odd = k % 2 == 1;
          const double expected = 4800 + k * time;
          for (const bool right : {false, true}) {
            const Found f = findBurst(right ? p.right() : p.left(), p.frames(), expected);
            const bool pingPong = std::string(pattern) == "ping-pong";
            if (pingPong && right == odd) { // left, right, left …: the other side is silent
              REQUIRE(std::abs(f.level) < 1e-4);
              continue;
            }
            worstFrame = std::max(worstFrame, std::abs(f.frame - expected));
            worstDb = std::max(worstDb, std::abs(Decibels::ofGain(f.level / std::pow(0.95, k - 1)).value));
          }
        }
        INFO(bpm << " " << value << " " << pattern);
        CHECK(worstFrame <= 1.0);
        CHECK(worstDb <= 0.1);
      }
}

TEST_CASE("different times left and right, and cross begins on the other side", "[throw]") {
  const auto levelAt = [](const StereoBuffer& p, bool right, double frame) {
    return findBurst(right ? p.right() : p.left(), p.frames(), 4800 + frame).level;
  };
  const double l = 0.75 * 60 / 120 * kRate, r = 60.0 / 120 * kRate; // 1/8. and 1/4 at 120
  {
    Throw x(120, {{"time_left", "1/8."}, {"time_right", "1/4"}, {"feedback_percent", 50.0}});
    const StereoBuffer p = x.print();
    CHECK(levelAt(p, false, 2 * l) == Approx(0.5).margin(0.005));
    CHECK(levelAt(p, true, 2 * r) == Approx(0.5).margin(0.005));
    CHECK(std::abs(levelAt(p, false, r)) < 1e-4);
  }
  {
    Throw x(120, {{"time_left", "1/8."}, {"time_right", "1/4"}, {"feedback_percent", 50.0}, {"pattern", "ping-pong"}});
    const StereoBuffer p = x.print();
    CHECK(levelAt(p, false, l) == Approx(1).margin(0.005));
    CHECK(levelAt(p, true, l + r) == Approx(0.5).margin(0.005));
    CHECK(levelAt(p, false, 2 * l + r) == Approx(0.25).margin(0.005));
  }
  { // sound on the left alone: its first echo on the right, a pass takes the time of the side it sounds on
    Throw x(120, {{"time_left", "1/8."}, {"time_right", "1/4"}, {"feedback_percent", 50.0}, {"pattern", "cross"}}, true,
            false);
    const StereoBuffer p = x.print();
    CHECK(levelAt(p, true, r) == Approx(1).margin(0.005));
    CHECK(levelAt(p, false, r + l) == Approx(0.5).margin(0.005));
    CHECK(levelAt(p, true, 2 * r + l) == Approx(0.25).margin(0.005));
    CHECK(std::abs(levelAt(p, false, l)) < 1e-4);
  }
}

TEST_CASE("the ladder foretells what the loop does", "[throw]") {
  for (const char* pattern : {"straight", "ping-pong", "cross"}) {
    Throw x(104, {{"time_left", "1/8."},
                  {"time_right", "1/4"},
                  {"feedback_percent", 60.0},
                  {"feedback_right_percent", 45.0},
                  {"pattern", pattern}});
    const auto plan = x.t.plan();
    const StereoBuffer p = printOf(*plan, "o1");
    const auto s = DelayThrowSettings::of({*plan->node("o1")->ornament, plan->context()});
    const auto ladder = echoLadder(s, 60.0 / 104 * kRate, 0.02);
    REQUIRE(ladder.size() >= 6);
    for (const Echo& e : ladder) {
      double expected = e.gain;
      for (const Echo& other : ladder) // two echoes on one spot of one side add up
        if (&other != &e && other.right == e.right && std::abs(other.frames - e.frames) < 2) expected += other.gain;
      INFO(pattern << " pass " << e.pass);
      CHECK(findBurst(e.right ? p.right() : p.left(), p.frames(), 4800 + e.frames).level ==
            Approx(expected).margin(0.01));
    }
  }
}

TEST_CASE("the loop never goes above its ceiling, whatever it is fed", "[throw]") {
  for (const double ceiling : {0.0, -6.0, 6.0})
    for (const Signal& s : {square(441, kRate, 0.8), noise(3, 0.8), Signal([](std::int64_t, int) { return 0.8f; }),
                            sine(97, kRate, 0.8)}) {
      TestSong t(48000, 120);
      t.stem("v", 96000, s);
      t.ornament("delay-throw", "v", 0, 1,
                 {{"time_left", "1/16"},
                  {"time_right", "1/16"},
                  {"feedback_percent", 200.0},
                  {"loop_ceiling_db", ceiling},
                  {"cut_at", 16.0}});
      const StereoBuffer p = printOf(*t.plan(), "o1");
      const double sent = 0.8;
      CHECK(Decibels::ofGain(static_cast<double>(largest(p)) / sent).value <= ceiling + 1e-4);
      // It does build up to it.
      if (ceiling <= 0) CHECK(Decibels::ofGain(static_cast<double>(largest(p)) / sent).value > ceiling - 1);
    }
}

TEST_CASE("at 200 % a square wave is held without crackle and recovers when feedback comes down", "[throw]") {
  TestSong t(48000, 120);
  t.stem("v", 96000, only(0, 24000, sine(500, kRate, 0.5)));
  // 200 % for four beats, then 30 %.
  const Value curve = List{Value(List{Value(0.0), Value(200.0)}), Value(List{Value(4.0), Value(200.0)}),
                           Value(List{Value(4.0), Value(30.0)})};
  t.ornament("delay-throw", "v", 0, 1, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", curve}});
  const StereoBuffer p = printOf(*t.plan(), "o1");
  // While held: a clean tone. Clipping at +6 dB would put the third harmonic at about −12 dB.
  const float* held = p.left() + 3 * 24000 + 4000;
  const double tone = toneLevel(held, 16000, 500, kRate);
  CHECK(tone > 0.3);
  for (const double hz : {1500.0, 2500.0, 3500.0})
    CHECK(Decibels::ofGain(toneLevel(held, 16000, hz, kRate) / tone).value < -40);
  // After it came down: each pass falls by 30 %.
  const double a = toneLevel(p.left() + 6 * 24000 + 4000, 16000, 500, kRate),
               b = toneLevel(p.left() + 7 * 24000 + 4000, 16000, 500, kRate);
  CHECK(Decibels::ofGain(b / a).value == Approx(Decibels::ofGain(0.3).value).margin(0.3));
}

TEST_CASE("100 % holds until it is cut", "[throw]") {
  Throw x(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 100.0}, {"cut_at", 40.0}});
  const StereoBuffer p = x.print();
  for (const int k : {1, 10, 39})
    CHECK(findBurst(p.left(), p.frames(), 4800 + k * 24000.0).level == Approx(1).margin(0.01));
  CHECK(p.frames() <= 40 * 24000);
  CHECK(p.frames() > 39 * 24000 + 4800);
}

TEST_CASE("a tail ends when all is under the floor, and after 120 s at the latest with a note", "[throw]") {
  Throw x(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 50.0}, {"tail_floor_db", -60.0}});
  const StereoBuffer p = x.print();
  // 0.5·0.5^(k−1) falls under −60 dBFS after k = 9: that echo is whole, and the end comes before the next but one.
  CHECK(p.frames() > 4800 + 9 * 24000 + kBurstHalf);
  CHECK(p.frames() < 4800 + 11 * 24000);
  Throw held(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 100.0}});
  const auto plan = held.t.plan();
  const StereoBuffer q = printOf(*plan, "o1");
  CHECK(std::abs(q.frames() - (48000 + 120 * 48000)) <= 1024);
  CHECK(plan->node("o1")->print->note().find("120 s") != std::string::npos);
  CHECK(std::abs(q.left()[q.frames() - 1]) < 1e-3f);
}

TEST_CASE("silence in, nothing out", "[throw]") {
  TestSong t;
  t.stem("v", 96000, silence());
  t.ornament("delay-throw", "v", 0, 1, {{"feedback_percent", 200.0}});
  CHECK(printOf(*t.plan(), "o1").frames() == 0);
}

TEST_CASE("loop gain as told is loop gain as measured", "[throw]") {
  // With filters: the largest gain around the loop over frequency. A tone at that frequency falls by it each pass.
  TestSong t(48000, 120);
  t.stem("v", 96000, only(0, 24000, sine(1183, kRate, 0.5)));
  t.ornament("delay-throw", "v", 0, 1,
             {{"time_left", "1/4"},
              {"time_right", "1/4"},
              {"feedback_percent", 70.0},
              {"low_cut_hz", 200.0},
              {"high_cut_hz", 7000.0}});
  const auto plan = t.plan();
  const auto f = plan->node("o1")->kind->loopFigures({*plan->node("o1")->ornament, plan->context()});
  REQUIRE(f);
  CHECK(f->gainPerPassDb == Approx(Decibels::ofGain(0.7).value).margin(0.05));
  CHECK(f->gainPerBarDb == Approx(4 * f->gainPerPassDb).margin(1e-9));
  const StereoBuffer p = printOf(*plan, "o1");
  const double a = toneLevel(p.left() + 3 * 24000 + 4000, 16000, 1183, kRate),
               b = toneLevel(p.left() + 4 * 24000 + 4000, 16000, 1183, kRate);
  CHECK(Decibels::ofGain(b / a).value == Approx(f->gainPerPassDb).margin(0.1));
  // Gone after 60 dB: 20 passes of −3.1 dB.
  REQUIRE(f->diesAt);
  CHECK(f->diesAt->quarters() == Approx(std::ceil(60 / -f->gainPerPassDb) + 1).margin(1));
  t.ornaments[0].settings["feedback_percent"] = 120.0;
  t.ornaments[0].settings["loop_ceiling_db"] = 6.0;
  const auto grown = t.plan();
  const auto g = grown->node("o1")->kind->loopFigures({*grown->node("o1")->ornament, grown->context()});
  CHECK(g->gainPerPassDb == Approx(1.58).margin(0.1));
  CHECK_FALSE(g->diesAt);
  REQUIRE(g->ceilingAt);
  CHECK(g->ceilingAt->quarters() == Approx(6 / g->gainPerPassDb + 1).margin(1.5));
}

TEST_CASE("send, wet, levels, flip and width do what they say", "[throw]") {
  const auto level = [](Settings s, bool right, int k = 1) {
    s["time_left"] = s["time_right"] = "1/4";
    Throw x(120, std::move(s));
    const StereoBuffer p = x.print();
    return findBurst(right ? p.right() : p.left(), p.frames(), 4800 + k * 24000.0).level;
  };
  CHECK(level({{"send_percent", 50.0}}, false) == Approx(0.5).margin(0.005));
  CHECK(level({{"send_percent", List{Value(List{Value(0.0), Value(0.0)}), Value(List{Value(0.1), Value(0.0)}),
                                     Value(List{Value(0.1), Value(100.0)})}}},
              false) == Approx(1).margin(0.01)); // the burst lies 0.2 beats in
  CHECK(level({{"send_percent", List{Value(List{Value(0.0), Value(100.0)}), Value(List{Value(0.1), Value(100.0)}),
                                     Value(List{Value(0.1), Value(0.0)})}}},
              false) == Approx(0).margin(0.01));
  CHECK(level({{"wet_db", -6.0}}, false) == Approx(Decibels(-6).gain()).epsilon(0.005));
  CHECK(level({{"level_left_db", -12.0}}, false) == Approx(Decibels(-12).gain()).epsilon(0.005));
  CHECK(level({{"level_left_db", -12.0}}, true) == Approx(1).epsilon(0.005));
  CHECK(level({{"invert_right", true}}, true) == Approx(-1).epsilon(0.005));
  CHECK(level({{"pattern", "ping-pong"}, {"width_percent", 0.0}}, true) == Approx(0.5).epsilon(0.005)); // mono
  CHECK(level({{"pattern", "ping-pong"}, {"width_percent", 200.0}}, true) == Approx(-0.5).epsilon(0.005));
}

TEST_CASE("a reversed source goes in backwards", "[throw]") {
  Throw x(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 0.0}, {"reverse_source", true}});
  const StereoBuffer p = x.print();
  // The source is two beats, 48000 frames; the burst is its 4801st frame, from the end the 43200th.
  CHECK(findBurst(p.left(), p.frames(), 24000 + 48000 - 1 - 4800.0).level == Approx(1).margin(0.01));
  CHECK(std::abs(findBurst(p.left(), p.frames(), 24000 + 4800.0).level) < 1e-3);
}

TEST_CASE("remove dry takes the source out of the row and leaves the echoes", "[throw]") {
  Throw x(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 0.0}, {"remove_dry", true}});
  const auto plan = x.t.plan();
  const StereoBuffer row = rowOut(*plan, "voice", 0, x.start + 60000);
  CHECK(std::abs(findBurst(row.left(), row.frames(), static_cast<double>(x.centre)).level) < 1e-3);
  CHECK(findBurst(row.left(), row.frames(), static_cast<double>(x.centre) + 24000).level == Approx(1).margin(0.01));
}

TEST_CASE("ducking turns the echoes down under the dry row, ahead of it, and lets them up again", "[throw]") {
  // A word, a rest in which echoes sound, then a loud phrase.
  TestSong t(48000, 120);
  t.stem("v", 480000, [s = sine(700, kRate, 0.5)](std::int64_t f, int side) {
    return f < 12000 || (f >= 120000 && f < 200000) ? s(f, side) : 0.0f;
  });
  auto& o = t.ornament("delay-throw", "v", 0, 0.5,
                       {{"time_left", "1/8"}, {"time_right", "1/8"}, {"feedback_percent", 97.0}, {"duck_db", 12.0}});
  const StereoBuffer ducked = printOf(*t.plan(), "o1");
  o.settings["duck_db"] = 0.0;
  const StereoBuffer open = printOf(*t.plan(), "o1");
  const auto difference = [&](std::int64_t at) {
    return rmsDb(ducked.left() + at, 4800) - rmsDb(open.left() + at, 4800);
  };
  CHECK(difference(60000) == Approx(0).margin(0.2));    // the rest
  CHECK(difference(140000) == Approx(-12).margin(0.5)); // under the phrase
  CHECK(difference(120000) < -10);                      // already down when it begins
  CHECK(difference(230000) == Approx(0).margin(0.5));   // up again within 0.6 s
}

TEST_CASE("wobble moves the time by a few milliseconds, the pitch step shifts each pass", "[throw][heavy]") {
  Throw x(120, {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 80.0}, {"wobble_percent", 100.0}});
  const StereoBuffer p = x.print();
  double moved = 0;
  for (int k = 1; k < 8; ++k) {
    const Found f = findBurst(p.left(), p.frames(), 4800 + k * 24000.0, 250 * k);
    moved = std::max(moved, std::abs(f.frame - 4800 - k * 24000.0) / k);
    CHECK(std::abs(f.level) > 0.5 * std::pow(0.8, k - 1));
  }
  CHECK(moved > 5);              // audible
  CHECK(moved < 0.0045 * kRate); // and bounded: 4 ms each way a pass
  TestSong t(48000, 120);
  t.stem("v", 96000, only(0, 24000, sine(440, kRate, 0.5)));
  t.ornament("delay-throw", "v", 0, 1,
             {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 90.0}, {"step_semitones", 12.0}});
  const StereoBuffer q = printOf(*t.plan(), "o1");
  for (int k = 1; k <= 2; ++k) {
    const float* pass = q.left() + k * 24000 + 8000;
    const double wanted = 440 * std::exp2(k);
    CHECK(toneLevel(pass, 12000, wanted, kRate) > 4 * toneLevel(pass, 12000, wanted / 2, kRate));
  }
}

TEST_CASE("with a pitch step echoes stay in their place and at their level, and in the key where it is followed",
          "[throw][step]") {
  // Bursts of 2 ms and 400 ms of a tone; four passes, apart from each other.
  for (const double step : {5.0, -5.0, 6.0}) {
    TestSong t(48000, 120);
    t.stem("v", 480000, [s = sine(440, kRate, 0.5)](std::int64_t f, int side) {
      return f >= 2400 && f < 21600 ? s(f, side) : 0.0f;
    });
    t.ornament("delay-throw", "v", 0, 1,
               {{"time_left", "1/2"}, {"time_right", "1/2"}, {"feedback_percent", 60.0}, {"step_semitones", step}});
    const StereoBuffer p = printOf(*t.plan(), "o1");
    for (int k = 1; k <= 4; ++k) {
      const double hz = 440 * std::exp2(k * step / 12), wanted = 0.5 * std::pow(0.6, k - 1);
      INFO("step " << step << ", pass " << k);
      CHECK(20 * std::log10(toneLevel(p.left() + 48000 * k + 7200, 9600, hz, kRate) / wanted) == Approx(0).margin(0.1));
      // It begins where it should: half its level within 3 ms of its place, nothing before.
      CHECK(rmsDb(p.left() + 48000 * k + 2400 - 1200, 1150) < -80);
      CHECK(rmsDb(p.left() + 48000 * k + 2400 + 48, 480) > 20 * std::log10(wanted) - 9);
    }
  }
  // A4 in C major, three semitones each: C, E (for D sharp), F sharp's nearest below, A.
  TestSong t(48000, 120);
  t.song.key = Key{0, false};
  t.stem("v", 480000, only(0, 24000, sine(440, kRate, 0.5)));
  t.ornament("delay-throw", "v", 0, 1,
             {{"time_left", "1/2"},
              {"time_right", "1/2"},
              {"feedback_percent", 80.0},
              {"step_semitones", 3.0},
              {"key_follow", true}});
  const StereoBuffer p = printOf(*t.plan(), "o1");
  int k = 1;
  for (const int note : {72, 74, 77, 81}) {
    INFO("pass " << k);
    const double wanted = 0.5 * std::pow(0.8, k - 1);
    CHECK(toneLevel(p.left() + 48000 * k + 7200, 9600, 440 * std::exp2((note - 69) / 12.0), kRate) ==
          Approx(wanted).epsilon(0.02));
    ++k;
  }
}

TEST_CASE("passes beyond two octaves lie on quarter tones of the octave, those before where the step brings them",
          "[throw][step]") {
  TestSong t(48000, 120);
  t.stem("v", 480000, only(0, 24000, sine(220, kRate, 0.5)));
  t.ornament("delay-throw", "v", 0, 1,
             {{"time_left", "1/2"}, {"time_right", "1/2"}, {"feedback_percent", 80.0}, {"step_semitones", 5.3}});
  const StereoBuffer p = printOf(*t.plan(), "o1");
  int k = 1;
  // 26.5 is 14.5; 31.8 is 19.8, so 20; 37.1 is 13.1, so 13.
  for (const double shift : {5.3, 10.6, 15.9, 21.2, 14.5, 20.0, 13.0}) {
    INFO("pass " << k);
    const double wanted = 0.5 * std::pow(0.8, k - 1), hz = 220 * std::exp2(shift / 12);
    CHECK(toneLevel(p.left() + 48000 * k + 7200, 9600, hz, kRate) == Approx(wanted).epsilon(0.02));
    ++k;
  }
}

TEST_CASE("wobble flutters, too: 5 to 12 Hz, by a tenth of a percent, the sides apart, the same for a seed",
          "[throw]") {
  // One echo of a long tone; where it is late by d its phase is late by 2π·1000·d.
  const auto late = [](double seed, bool right) {
    TestSong t(48000, 120);
    t.stem("v", 600000, sine(1000, kRate, 0.5));
    t.ornament("delay-throw", "v", 0, 24,
               {{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 0.0}, {"wobble_percent", 100.0}})
        .seed = static_cast<std::int64_t>(seed);
    const StereoBuffer p = printOf(*t.plan(), "o1");
    const float* x = (right ? p.right() : p.left()) + 48000;
    std::vector<float> d; // frames, every 240 frames
    double before = 0, turns = 0;
    for (std::int64_t at = 0; at + 480 < 460000; at += 240) {
      double re = 0, im = 0;
      for (std::int64_t i = 0; i < 480; ++i) { // ten periods under a Hann window
        const double w = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / 480);
        const double phase = 2 * std::numbers::pi * 1000 * static_cast<double>(at + i) / kRate;
        re += w * x[at + i] * std::cos(phase);
        im += w * x[at + i] * std::sin(phase);
      }
      double phase = std::atan2(im, re);
      if (at > 0) turns -= std::round((phase + turns - before) / (2 * std::numbers::pi)) * 2 * std::numbers::pi;
      phase += turns;
      before = phase;
      d.push_back(static_cast<float>(phase / (2 * std::numbers::pi * 1000) * kRate));
    }
    return d;
  };
  const auto band = [](const std::vector<float>& d, double from, double to) { // RMS, by projection
    double power = 0;
    for (double hz = from; hz < to; hz += 0.1)
      power += 0.5 * std::pow(toneLevel(d.data(), static_cast<std::int64_t>(d.size()), hz, 200), 2);
    return std::sqrt(power / 1.5); // bins of a Hann window overlap
  };
  const std::vector<float> left = late(1, false), right = late(1, true), again = late(1, false), other = late(2, false);
  const double rms = band(left, 5, 12);
  CHECK(rms == Approx(2.4e-5 * kRate).epsilon(0.35));
  // Of the pitch: 2π·8.7 Hz of it.
  CHECK(2 * std::numbers::pi * 8.7 * rms / kRate > 0.0008);
  CHECK(2 * std::numbers::pi * 8.7 * rms / kRate < 0.002);
  CHECK(band(left, 14, 40) < 0.03 * rms);
  CHECK(left == again);
  const auto alike = [&](const std::vector<float>& a, const std::vector<float>& b) {
    // What is faster than the drift: differences over a tenth of a second.
    double ab = 0, aa = 0, bb = 0;
    for (std::size_t i = 10; i < a.size(); ++i) {
      const double x = a[i] - a[i - 10], y = b[i] - b[i - 10];
      ab += x * y;
      aa += x * x;
      bb += y * y;
    }
    return ab / std::sqrt(aa * bb);
  };
  CHECK(std::abs(alike(left, right)) < 0.6);
  CHECK(std::abs(alike(left, other)) < 0.6);
}

TEST_CASE("no legal settings and no input bring NaN, infinity or more than the ceiling", "[throw][slow]") {
  Chance chance(99);
  const TableSpec& table = DelayThrowSettings::table();
  for (int i = 0; i < tries(12); ++i) {
    TestSong t(i % 3 == 0 ? 44100 : 48000, 60 + 140 * chance.unit());
    const int kind = i % 4;
    t.stem("v", 60000,
           kind == 0   ? square(300, kRate, 1)
           : kind == 1 ? Signal([](std::int64_t, int) { return 1.0f; })
           : kind == 2 ? noise(static_cast<std::uint64_t>(i), 1)
                       : impulseAt(4000));
    Settings s = anySettings(table, chance);
    s["cut_at"] = kSanitized ? 3.0 : 8.0;
    t.ornament("delay-throw", "v", 0, 1, s);
    const auto plan = t.plan();
    // Straight from the voice: Print would hide a NaN.
    const auto node = plan->node("o1");
    const auto settings = DelayThrowSettings::of({*node->ornament, plan->context()});
    const StereoBuffer p = printOf(*plan, "o1");
    const double sent = 1.0, above = Decibels(settings.loopCeilingDb + settings.wetDb +
                                              std::max(settings.levelLeftDb, settings.levelRightDb))
                                         .gain() *
                                     std::max(1.0, settings.width);
    INFO(i << " " << compactJson(Value(Object(s.begin(), s.end()))));
    CHECK(std::isfinite(largest(p)));
    CHECK(static_cast<double>(largest(p)) <= sent * above * 1.0001);
  }
}
