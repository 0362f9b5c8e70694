#include "dsp/denormals.h"
#include "dsp/measure/loudness.h"
#include "files/safe_file.h"
#include "finish/finisher.h"
#include "finish/starting_points.h"
#include "finish/tone.h"
#include "test_support/acoustics.h"
#include "test_support/any_settings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kBeat = 24000;
constexpr std::int64_t kFrames = 8 * kBeat;

/// The print of a treat of four beats from beat 2, with a chain behind it.
StereoBuffer treated(const Signal& s, std::vector<Processor> chain, Settings settings = {}) {
  TestSong t;
  t.stem("v", kFrames, s);
  t.ornament("treat", "v", 2, 4, std::move(settings)).finish = std::move(chain);
  return printOf(*t.plan(), "o1");
}

double level(const StereoBuffer& b, double hz, std::int64_t from = 9600, std::int64_t n = 48000) {
  return Decibels::ofGain(toneLevel(b.left() + from, n, hz, 48000)).value;
}

/// dB of a tone through the chain against the tone.
double response(double hz, const std::vector<Processor>& chain) {
  const Signal s = sine(hz, 48000, 0.25);
  return level(treated(s, chain), hz) - level(treated(s, {}), hz);
}

} // namespace

TEST_CASE("a treat without a finish leaves the row as it is, and its mix is linear", "[finish][treat]") {
  TestSong t;
  t.stem("v", kFrames, noise(1, 0.5));
  auto& o = t.ornament("treat", "v", 2, 2);
  const StereoBuffer dry = fill(kFrames, noise(1, 0.5));
  StereoBuffer row = rowOut(*t.plan(), "v", 0, kFrames);
  double worst = 0;
  for (std::int64_t i = 0; i < kFrames; ++i)
    worst = std::max(worst, std::abs(static_cast<double>(row.left()[i]) - dry.left()[i]));
  CHECK(worst < 1e-6); // the fades add up to one
  o.finish = {{"gain", {{"db", -60.0}}}};
  o.settings["mix_percent"] = 50.0;
  row = rowOut(*t.plan(), "v", 0, kFrames);
  CHECK(row.left()[3 * kBeat] == Approx(dry.left()[3 * kBeat] * (0.5f + 0.0005f)).margin(1e-6));
  // Kept, the treated sound is beside the dry one.
  o.settings = {{"dry", "keep"}};
  o.finish = {{"gain", {{"db", 0.0}}}};
  row = rowOut(*t.plan(), "v", 0, kFrames);
  CHECK(row.left()[3 * kBeat] == Approx(2 * dry.left()[3 * kBeat]).margin(1e-6));
}

TEST_CASE("a treated stretch rings on after itself, or exactly as long as asked", "[finish][treat]") {
  const std::vector<Processor> space = {{"reverb", {{"decay_seconds", 2.0}, {"mix_percent", 100.0}}}};
  const StereoBuffer whole = treated(noise(1, 0.4), space);
  CHECK(whole.frames() > 4 * kBeat + 48000);
  CHECK(rmsDb(whole.left() + whole.frames() - 2400, 2400) < -80);
  CHECK(treated(noise(1, 0.4), {}, {{"tail_seconds", 0.5}}).frames() == 4 * kBeat + 24000);
  // A mono stem becomes stereo where a processor makes width.
  TestSong t;
  t.stem("m", kFrames, noise(2, 0.4), 1);
  t.ornament("treat", "m", 2, 4).finish = {{"width", {{"side_delay_ms", 12.0}}}};
  const StereoBuffer wide = printOf(*t.plan(), "o1");
  double l = 0, r = 0, both = 0;
  for (std::int64_t i = 9600; i < 80000; ++i) {
    l += wide.left()[i] * wide.left()[i];
    r += wide.right()[i] * wide.right()[i];
    both += wide.left()[i] * wide.right()[i];
  }
  CHECK(std::abs(both) / std::sqrt(l * r) < 0.1);
}

TEST_CASE("filter: slopes, resonance and a moving cutoff", "[finish]") {
  for (const double slope : {12.0, 24.0}) {
    const std::vector<Processor> low = {{"filter", {{"high_cut_hz", 500.0}, {"slope_db", slope}}}};
    CHECK(response(500, low) == Approx(-3).margin(0.2));
    CHECK(response(2000, low) - response(1000, low) == Approx(-slope).margin(1.2));
    CHECK(response(60, low) == Approx(0).margin(0.1));
  }
  CHECK(response(500, {{"filter", {{"high_cut_hz", 500.0}, {"resonance_percent", 60.0}}}}) > 5); // made up for
  // From 200 Hz at its begin to 8 kHz at its end: a tone of 2 kHz comes through late.
  const Value rising(List{List{0.0, 200.0}, List{4.0, 8000.0}});
  const StereoBuffer moved =
      treated(sine(2000, 48000, 0.25), {{"filter", {{"high_cut_hz", rising}, {"slope_db", 24.0}}}});
  CHECK(level(moved, 2000, 4800, 4800) ==
        Approx(-44.4).margin(1)); // 785 Hz there: 1.35 octaves of 24 dB, and 12 for the tone itself
  CHECK(level(moved, 2000, 85000, 4800) > -14);
}

TEST_CASE("tone: bells as they say, and their drawn curve is what is heard", "[finish]") {
  const std::vector<ToneBand> bands = {{800, 6, 1}, {4000, -9, 2}};
  const std::vector<Processor> chain = {{"tone", {{"bands", toneValue(bands)}}}};
  CHECK(toneBands(toneValue(bands)) == bands);
  for (const double hz : {200.0, 800.0, 1500.0, 4000.0, 9000.0}) {
    INFO(hz);
    CHECK(response(hz, chain) == Approx(toneGainDb(bands, hz, 48000)).margin(0.05));
  }
  CHECK(toneGainDb({{800, 6, 1}}, 800, 48000) == Approx(6).margin(1e-6));
}

TEST_CASE("dirt: bits make steps, a low rate images, drive leaves what is soft", "[finish]") {
  const StereoBuffer coarse = treated(sine(440, 48000, 0.4), {{"dirt", {{"bits", 5.0}}}});
  for (std::int64_t i = 1000; i < 50000; i += 97) {
    const double steps = coarse.left()[i] * 16;
    REQUIRE(std::abs(steps - std::round(steps)) < 1e-4);
  }
  const StereoBuffer held = treated(sine(1000, 48000, 0.4), {{"dirt", {{"rate_hz", 6000.0}}}});
  CHECK(level(held, 5000) > level(held, 1000) - 16); // the image at rate − f, under the hold's sinc
  CHECK(response(440, {{"dirt", {{"drive_percent", 0.0}}}}) == Approx(0).margin(1e-6));
  const StereoBuffer driven = treated(sine(440, 48000, 0.8), {{"dirt", {{"drive_percent", 100.0}}}});
  CHECK(level(driven, 1320) > level(driven, 440) - 14); // a third harmonic
}

TEST_CASE("echo of the finish: times, mix and end", "[finish]") {
  const Signal click = only(2 * kBeat + 200, 2 * kBeat + 201, [](auto, auto) { return 0.8f; });
  const StereoBuffer b = treated(
      click,
      {{"echo", {{"time_left", "1/4"}, {"time_right", "1/8"}, {"feedback_percent", 50.0}, {"mix_percent", 50.0}}}});
  CHECK(b.left()[200] == Approx(0.4f).margin(1e-5));
  for (int k = 1; k <= 3; ++k) {
    CHECK(b.left()[200 + k * kBeat] == Approx(0.4f * std::pow(0.5f, k - 1)).margin(1e-5));
    CHECK(b.right()[200 + k * kBeat / 2] == Approx(0.4f * std::pow(0.5f, k - 1)).margin(1e-5));
  }
  CHECK(largest(b) == Approx(0.4f).margin(1e-5));
}

TEST_CASE("width, pan and gain follow their curves", "[finish]") {
  const Signal sided = [](std::int64_t f, int side) { return side ? 0.0f : sine(500, 48000, 0.5)(f, 0); };
  const StereoBuffer mono = treated(sided, {{"width", {{"percent", 0.0}}}});
  CHECK(mono.left()[20000] == Approx(mono.right()[20000]));
  const Value across(List{List{0.0, -1.0}, List{4.0, 1.0}});
  const StereoBuffer panned = treated(noise(1, 0.5), {{"pan", {{"position", across}}}});
  CHECK(rmsDb(panned.right() + 1000, 2000) < rmsDb(panned.left() + 1000, 2000) - 20);
  CHECK(rmsDb(panned.left() + 93000, 2000) < rmsDb(panned.right() + 93000, 2000) - 20);
  const Value down(List{List{0.0, 0.0}, List{4.0, -40.0}});
  const StereoBuffer faded = treated(sine(500, 48000, 0.5), {{"gain", {{"db", down}}}});
  CHECK(level(faded, 500, 2 * kBeat - 2400, 4800) - level(faded, 500, 2400, 4800) ==
        Approx(-18).margin(0.1)); // 1.8 of 4 beats apart
}

TEST_CASE("compressor: the static curve is threshold and ratio", "[finish]") {
  const Settings set = {{"threshold_db", -20.0}, {"ratio", 4.0}, {"attack_ms", 5.0}, {"release_ms", 300.0}};
  for (const double in : {-40.0, -12.0, -4.0}) {
    const auto amplitude = Decibels(in).gain();
    const StereoBuffer b = treated(sine(1000, 48000, amplitude), {{"compressor", set}});
    const double out = level(b, 1000, 48000, 40000), wanted = in <= -23 ? in : -20 + (in + 20) / 4;
    INFO(in);
    CHECK(out == Approx(wanted).margin(0.2));
  }
  CHECK(response(1000, {{"compressor", {{"threshold_db", 0.0}, {"makeup_db", 6.0}}}}) == Approx(6).margin(0.1));
}

TEST_CASE("compressor: takes hold and lets go in the times that are set, and bends no low note", "[finish]") {
  // A tone that steps up by 20 dB and down again; its gain in every millisecond.
  const Signal steps = [](std::int64_t f, int s) {
    return (f >= 3 * kBeat && f < 4 * kBeat + kBeat / 2 ? 1.0 : 0.1) * sine(1000, 48000, 0.8)(f, s);
  };
  const StereoBuffer dry = treated(steps, {});
  for (const auto& [attack, release] : {std::pair{5.0, 60.0}, {20.0, 120.0}, {50.0, 400.0}}) {
    INFO(attack << " and " << release << " ms");
    const StereoBuffer b = treated(
        steps,
        {{"compressor", {{"threshold_db", -20.0}, {"ratio", 4.0}, {"attack_ms", attack}, {"release_ms", release}}}});
    const auto reduction = [&](std::int64_t at) { return rmsDb(dry.left() + at, 48) - rmsDb(b.left() + at, 48); };
    // The print begins at beat 2.
    std::int64_t up = -1, down = -1;
    const std::int64_t on = kBeat, off = 2 * kBeat + kBeat / 2;
    const double most = reduction(off - 480);
    CHECK(most == Approx((20 * std::log10(0.8) + 20) * 0.75).margin(0.2));
    for (std::int64_t f = on; up < 0 && f < off; f += 12)
      if (reduction(f) > most * (1 - std::exp(-1))) up = f + 24;
    for (std::int64_t f = off; down < 0 && f + 48 < b.frames(); f += 12)
      if (reduction(f) < most * std::exp(-1)) down = f + 24;
    CHECK(static_cast<double>(up - on) / 48 == Approx(attack).epsilon(0.1));
    CHECK(static_cast<double>(down - off) / 48 == Approx(release).epsilon(0.1));
  }
  // 60 Hz, far over the threshold: harmonics 60 dB under it.
  const StereoBuffer low =
      treated(sine(60, 48000, 0.8),
              {{"compressor", {{"threshold_db", -30.0}, {"ratio", 4.0}, {"attack_ms", 8.0}, {"release_ms", 120.0}}}});
  double harmonics = 0;
  for (int n = 2; n <= 12; ++n) harmonics += std::pow(toneLevel(low.left() + 48000, 40000, 60.0 * n, 48000), 2);
  CHECK(10 * std::log10(harmonics) - 20 * std::log10(toneLevel(low.left() + 48000, 40000, 60, 48000)) < -60);
}

TEST_CASE("tone: a bell is the analogue one up to 18 kHz", "[finish]") {
  for (const ToneBand& band : {ToneBand{1000, 6, 1}, ToneBand{5000, 12, 0.7}, ToneBand{10000, -9, 1.4},
                               ToneBand{14000, 6, 0.5}, ToneBand{16000, -12, 2}, ToneBand{60, 12, 3}})
    for (double hz = 20; hz <= 18000; hz *= 1.07) {
      const double a = std::pow(10.0, band.gainDb / 40), w = hz / band.hz, x = (1 - w * w) * (1 - w * w);
      const double analogue =
          10 * std::log10((x + w * w * a * a / (band.q * band.q)) / (x + w * w / (a * a * band.q * band.q)));
      INFO(band.hz << " Hz by " << band.gainDb << " dB, q " << band.q << ", at " << hz);
      CHECK(toneGainDb({band}, hz, 48000) == Approx(analogue).margin(0.5));
    }
}

TEST_CASE("tone: shelves are the analogue ones up to 18 kHz, and what is heard is what is drawn", "[finish]") {
  for (const bool low : {true, false})
    for (const double edge : {80.0, 400.0, 2500.0, 8000.0, 14000.0})
      for (const double gain : {-18.0, -6.0, 4.0, 12.0, 18.0})
        for (double hz = 20; hz <= 18000; hz *= 1.1) {
          const double root = std::pow(10.0, gain / 40), w = hz / edge, zero = low ? root : 1 / root,
                       analogue =
                           10 * std::log10((w * w + zero * zero) / (w * w + 1 / (zero * zero))) + (low ? 0 : gain);
          INFO((low ? "lows" : "highs") << " at " << edge << " Hz by " << gain << " dB, at " << hz);
          CHECK(shelfGainDb(low, edge, gain, hz, 48000) == Approx(analogue).margin(0.5));
        }
  const Settings set = {
      {"low_shelf_hz", 200.0}, {"low_shelf_db", -9.0}, {"high_shelf_hz", 5000.0}, {"high_shelf_db", 6.0}};
  for (const double hz : {60.0, 200.0, 1000.0, 5000.0, 12000.0})
    CHECK(response(hz, {{"tone", set}}) ==
          Approx(shelfGainDb(true, 200, -9, hz, 48000) + shelfGainDb(false, 5000, 6, hz, 48000)).margin(0.05));
  CHECK(response(1000, {{"tone", {}}}) == Approx(0).margin(1e-6));
}

TEST_CASE("pan: a tenth is heard; phaser: feedback makes it no louder", "[finish]") {
  const StereoBuffer dry = treated(noise(3, 0.3), {});
  const auto change = [&](const std::vector<Processor>& finish, bool right) {
    const StereoBuffer b = treated(noise(3, 0.3), finish);
    return right ? rmsDb(b.right() + 4800, 90000) - rmsDb(dry.right() + 4800, 90000)
                 : rmsDb(b.left() + 4800, 90000) - rmsDb(dry.left() + 4800, 90000);
  };
  CHECK(change({{"pan", {{"position", 0.1}}}}, false) < -0.8);
  CHECK(change({{"pan", {{"position", 0.1}}}}, true) == 0);
  CHECK(change({{"pan", {{"position", -1.0}}}}, true) < -100);
  const auto phaser = [&](double feedback) {
    return change({{"phaser", {{"feedback_percent", feedback}, {"mix_percent", 100.0}, {"rate", "1 bar"}}}}, false);
  };
  for (const double feedback : {30.0, 60.0, 90.0}) CHECK(phaser(feedback) == Approx(phaser(0)).margin(1.5));
}

TEST_CASE("duck: out of the way of another row, ahead of it", "[finish]") {
  TestSong t;
  t.stem("v", kFrames, sine(500, 48000, 0.3));
  t.stem("k", kFrames, only(4 * kBeat, 5 * kBeat, sine(200, 48000, 0.5)));
  t.ornament("treat", "v", 2, 4).finish = {{"duck", {{"depth_db", 12.0}, {"key", "k"}, {"release_ms", 100.0}}}};
  const StereoBuffer b = printOf(*t.plan(), "o1");
  CHECK(level(b, 500, kBeat, 4800) == Approx(Decibels::ofGain(0.3).value).margin(0.1));
  CHECK(level(b, 500, 2 * kBeat, 9600) ==
        Approx(Decibels::ofGain(0.3).value - 12).margin(0.5)); // from its first frame on
  CHECK(level(b, 500, 4 * kBeat - 9600, 4800) == Approx(Decibels::ofGain(0.3).value).margin(0.2));
}

TEST_CASE("phaser, chorus and tremolo move in time with the ornament", "[finish][heavy]") {
  const StereoBuffer trem = treated(sine(1000, 48000, 0.5), {{"tremolo", {{"rate", "1/4"}, {"depth_percent", 100.0}}}});
  CHECK(std::abs(rmsDb(trem.left() + kBeat, 240) - rmsDb(trem.left() + 2 * kBeat, 240)) < 0.2); // on every beat as loud
  CHECK(rmsDb(trem.left() + kBeat + kBeat / 2 - 60, 120) < rmsDb(trem.left() + kBeat, 240) - 40); // silent between
  // A phaser's notches: a steady noise has them, and they wander.
  const StereoBuffer phased = treated(noise(4, 0.3), {{"phaser", {{"rate", "1 bar"}, {"feedback_percent", 0.0}}}});
  const auto band = [](const StereoBuffer& b, std::int64_t from, double hz) {
    const auto v = bandOf(b.left() + from, 4800, hz, 0.2, 48000);
    double e = 0;
    for (const double x : v) e += x * x;
    return 10 * std::log10(e);
  };
  double deepest = 0, moved = 0;
  for (double hz = 150; hz < 6000; hz *= 1.06) {
    const double early = band(phased, 9600, hz) - band(treated(noise(4, 0.3), {}), 9600, hz);
    const double late = band(phased, 57600, hz) - band(treated(noise(4, 0.3), {}), 57600, hz);
    deepest = std::min(deepest, early);
    moved = std::max(moved, std::abs(early - late));
  }
  CHECK(deepest < -10);
  CHECK(moved > 6);
  const StereoBuffer chorus = treated(sine(1000, 48000, 0.5), {{"chorus", {{"mix_percent", 100.0}}}});
  CHECK(rmsDb(chorus.left() + 9600, 48000) == Approx(rmsDb(chorus.right() + 9600, 48000)).margin(3));
  CHECK(rmsDb(chorus.left() + 9600, 48000) > -24);
}

TEST_CASE("limiter: never over its ceiling as libebur128 measures it", "[finish]") {
  const StereoBuffer b = treated(square(997, 48000, 0.9), {{"limiter", {{"ceiling_dbtp", -6.0}}}});
  CHECK(measureLoudness(b.left(), b.right(), b.frames(), 48000).truePeakDbtp < -5.9);
}

TEST_CASE("level: so many LU under the source, also on very short sounds, and the gain is told", "[finish][heavy]") {
  for (const double beats : {0.0625, 0.25, 2.0})
    for (const double loud : {0.02, 0.5}) {
      TestSong t;
      t.stem("v", kFrames, noise(3, loud));
      t.ornament("reverb-throw", "v", 2, beats).finish = {{"level", {{"offset_lu", -7.0}}}};
      const auto plan = t.plan();
      const StereoBuffer b = printOf(*plan, "o1");
      const auto window = std::max<std::int64_t>(std::llround(beats * kBeat), 2400);
      const StereoBuffer dry = fill(kFrames, noise(3, loud));
      StereoBuffer word(std::llround(beats * kBeat));
      const EdgeWindow edges = EdgeWindow::withDefaultEdges({Frames(0), Frames(word.frames())}, 48000);
      for (std::int64_t i = 0; i < word.frames(); ++i) {
        word.left()[i] = static_cast<float>(edges.at(Frames(i))) * dry.left()[2 * kBeat + i];
        word.right()[i] = static_cast<float>(edges.at(Frames(i))) * dry.right()[2 * kBeat + i];
      }
      const double source = loudestWindowLufs(kWeightedPower(word.left(), word.right(), word.frames(), 48000), window);
      const double print = loudestWindowLufs(kWeightedPower(b.left(), b.right(), b.frames(), 48000), window);
      INFO(beats << " beats, level " << loud);
      CHECK(source - print == Approx(7).margin(0.3));
      REQUIRE(plan->node("o1")->print->levelDb());
    }
  const StereoBuffer fixed = treated(noise(3, 0.1), {{"level", {{"match", -30.0}}}});
  CHECK(loudestWindowLufs(kWeightedPower(fixed.left(), fixed.right(), fixed.frames(), 48000), 4 * kBeat) ==
        Approx(-30).margin(0.3));
}

TEST_CASE("level: the wet level comes on top of the match, whatever it is, and changes nothing else", "[finish]") {
  for (const Kind* kind : allKinds().all()) {
    const SettingSpec* wet = kind->table().find("wet_db");
    if (!wet) continue;
    CHECK(wet->initial == Value(0.0));
    const auto print = [&](double db) {
      TestSong t;
      t.stem("v", 12 * kBeat, only(4 * kBeat, 5 * kBeat, noise(3, 0.3)));
      auto& o = t.ornament(kind->table().id, "v", 4, 1, {{"wet_db", db}});
      // What is driven is driven alike, and what is over stays over: the wet level is behind both.
      o.finish = {{"dirt", {}}, {"level", {{"offset_lu", -6.0}}}};
      const auto plan = t.plan();
      auto b = printOf(*plan, "o1");
      return std::pair(std::move(b), *plan->node("o1")->print->levelDb());
    };
    const auto [none, match] = print(0);
    CHECK(rmsDb(none.left(), none.frames()) > -70);
    for (const double db : {-30.0, -18.0, 6.0}) {
      const auto [less, sameMatch] = print(db);
      INFO(kind->table().id << ", " << db << " dB");
      CHECK(sameMatch == match);
      REQUIRE(less.frames() == none.frames());
      const auto g = static_cast<float>(Decibels(db).gain());
      float worst = 0;
      for (std::int64_t i = 0; i < none.frames(); ++i)
        worst = std::max(worst, std::abs(less.left()[i] - g * none.left()[i]));
      CHECK(worst < 1e-6f * g);
    }
  }
}

TEST_CASE("level: a kind that takes nothing is matched to the row where it sounds, with a key beside it too",
          "[finish]") {
  for (const bool ducked : {false, true}) {
    TestSong t;
    t.stem("v", 8 * kBeat, noise(3, 0.2));
    t.stem("loud", 8 * kBeat, noise(4, 0.9));
    auto& o = t.ornament("riser", "v", 2, 4, {{"of", "noise"}});
    if (ducked) o.finish.push_back({"duck", {{"key", "loud"}, {"depth_db", 0.0}}});
    o.finish.push_back({"level", {{"offset_lu", -9.0}}});
    const StereoBuffer b = printOf(*t.plan(), "o1"), row = fill(4 * kBeat, noise(3, 0.2));
    const auto lufs = [](const StereoBuffer& x) {
      return loudestWindowLufs(kWeightedPower(x.left(), x.right(), x.frames(), 48000), 4 * kBeat);
    };
    CHECK(lufs(row) - lufs(b) == Approx(9).margin(0.3));
  }
}

TEST_CASE("level: of a throw that grows its first echo is matched, and it grows over that", "[finish][heavy]") {
  for (const double feedback : {60.0, 106.0, 120.0}) {
    INFO(feedback);
    TestSong t;
    t.stem("v", kFrames, only(2 * kBeat, 3 * kBeat, noise(3, 0.3)));
    t.ornament("delay-throw", "v", 2, 1,
               {{"time_left", "1/2"},
                {"time_right", "1/2"},
                {"feedback_percent", feedback},
                {"loop_ceiling_db", 12.0},
                {"cut_at", 24.0}})
        .finish = {{"level", {{"offset_lu", -8.0}}}};
    const StereoBuffer b = printOf(*t.plan(), "o1");
    const auto power = kWeightedPower(b.left(), b.right(), b.frames(), 48000);
    const StereoBuffer dry = fill(4 * kBeat, only(2 * kBeat, 3 * kBeat, noise(3, 0.3)));
    const double source = loudestWindowLufs(kWeightedPower(dry.left(), dry.right(), dry.frames(), 48000), kBeat);
    const auto echo = [&](int k) {
      return loudestWindowLufs({power.begin() + 2 * k * kBeat, power.begin() + (2 * k + 1) * kBeat}, kBeat);
    };
    CHECK(source - echo(1) == Approx(8).margin(0.4));
    CHECK(echo(3) - echo(1) == Approx(2 * Decibels::ofGain(feedback / 100).value).margin(0.4));
  }
}

TEST_CASE("no legal settings of any processor bring NaN or infinity", "[finish][slow]") {
  Chance chance(21);
  for (const Finisher* f : allFinishers())
    for (int i = 0; i < tries(9); ++i) {
      Settings s = anySettings(f->table(), chance);
      s.erase("key");
      const StereoBuffer b = treated(i % 3 == 0   ? square(210, 48000, 1)
                                     : i % 3 == 1 ? Signal([](std::int64_t, int) { return 1.0f; })
                                                  : noise(5, 1),
                                     {{f->table().id, s}});
      INFO(f->table().id << " " << compactJson(Value(Object(s.begin(), s.end()))));
      CHECK(std::isfinite(largest(b)));
      CHECK(largest(b) < 2000); // eight bells of +24 dB on top of each other are legal
      CHECK(b.frames() >= 4 * kBeat);
    }
}

TEST_CASE("every processor says what it is and stands in the registry", "[finish]") {
  CHECK(allFinishers().size() == 16);
  const Registry r = allKinds().registry();
  for (const Finisher* f : allFinishers()) {
    INFO(f->table().id);
    CHECK(r.processor(f->table().id));
    CHECK_FALSE(f->table().meaning.empty());
    for (const SettingSpec& s : f->table().settings) {
      INFO(s.key);
      CHECK_FALSE(s.meaning.empty());
      Problems problems;
      checkSetting(s, s.initial, s.key, problems);
      CHECK_FALSE(problems.hasErrors());
    }
  }
}

TEST_CASE("a chain is deterministic from any place, and an unknown key row is an error with its place",
          "[finish][render]") {
  const std::vector<Processor> chain = {{"filter", {{"low_cut_hz", 300.0}}},
                                        {"echo", {}},
                                        {"reverb", {}},
                                        {"width", {{"percent", 150.0}}},
                                        {"level", {}}};
  const auto rowFrom = [&](std::int64_t from) {
    TestSong t;
    t.stem("v", kFrames, noise(8, 0.3));
    t.ornament("delay-throw", "v", 1, 1).finish = chain;
    return rowOut(*t.plan(), "v", from, 30000);
  };
  const StereoBuffer a = rowFrom(0), b = rowFrom(20011);
  for (std::int64_t i = 0; i < 9000; ++i) REQUIRE(a.left()[20011 + i] == b.left()[i]);

  Song song;
  song.stems.push_back({"v", "Voice", std::nullopt, 0, {}, std::nullopt, "", std::nullopt});
  Ornament o;
  o.id = "o1";
  o.kind = "treat";
  o.on = "v";
  o.length = Beats::ofQuarters(1);
  o.finish = {{"duck", {{"key", "nobody"}}}};
  song.ornaments.push_back(o);
  Problems problems;
  CHECK_FALSE(readSong(writeSong(song, allKinds().registry()), allKinds().registry(), problems));
  REQUIRE(problems.hasErrors());
  CHECK(problems.list.front().id == ErrorId::dangling_id);
  CHECK(problems.list.front().place == "ornaments[0].finish[0].key");
}

TEST_CASE("starting points: those that ship are legal, one's own are kept and read again, broken ones are named",
          "[finish]") {
  const Registry registry = allKinds().registry();
  const std::vector<StartingPoint> shipped = shippedStartingPoints(allKinds().registry());
  CHECK(shipped.size() == 14);
  for (const StartingPoint& p : shipped) {
    INFO(p.name);
    Problems problems;
    const auto back = readStartingPoint(writeStartingPoint(p), registry, problems);
    CHECK_FALSE(problems.hasErrors());
    REQUIRE(back);
    CHECK(*back == p);
  }
  for (const Kind* k : allKinds().all()) { // every kind that sounds has several to begin from
    const auto n =
        std::count_if(shipped.begin(), shipped.end(), [&](const StartingPoint& p) { return p.suits(k->table().id); });
    CHECK(n >= 5);
  }
  const TempFolder folder;
  std::string why;
  const StartingPoint mine{"mine: a/b", {"treat"}, {{"gain", {{"db", -3.0}}}}};
  REQUIRE(keepStartingPoint(folder / "points", mine, why));
  REQUIRE(keepStartingPoint(folder / "points", {"second", {}, {}}, why));
  std::string no;
  REQUIRE(replaceFile(folder / "points" / "broken.json", "{\"format\": \"ivrin-starting-point\", \"nam\": 1", no));
  REQUIRE(replaceFile(folder / "points" / "wrong.json",
                      "{\"format\": \"ivrin-starting-point\", \"version\": 1, \"name\": \"x\", \"finish\": [{\"type\": "
                      "\"gain\", \"db\": 900}]}",
                      no));
  Problems problems;
  const auto all = startingPointsIn(folder / "points", registry, problems);
  REQUIRE(all.size() == 2);
  CHECK(all[0] == mine);
  REQUIRE(problems.list.size() == 2);
  CHECK(problems.list[0].place.starts_with("broken.json"));
  CHECK(problems.list[1].place == "wrong.json: finish[0].db");
}
