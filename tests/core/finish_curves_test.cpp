// What a processor's drawing is made of is what the processor does: its law against its sound.
#include "dsp/dynamics/drive.h"
#include "dsp/measure/loudness.h"
#include "finish/curves.h"
#include "finish/finisher.h"
#include "finish/shared_settings.h"
#include "ornaments/delay_throw_settings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>
#include <vector>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// Four beats of it (two seconds) through one processor.
StereoBuffer through(const Signal& s, const Processor& p) {
  TestSong t;
  t.stem("v", 8 * 24000, s);
  t.ornament("treat", "v", 0, 8, {{"tail_seconds", 0.0}}).finish = {p};
  return printOf(*t.plan(), "o1");
}

Signal chord(double level) {
  return [=](std::int64_t f, int) {
    double sum = 0;
    for (const double hz : {110.0, 165.0, 220.0, 277.0})
      sum += std::sin(2 * std::numbers::pi * hz * static_cast<double>(f) / kRate + hz);
    return static_cast<float>(0.25 * level * sum);
  };
}

/// White noise through three poles and zeros that go down by 3 dB an octave from 40 Hz on (J. O. Smith, "Spectral Audio
/// Signal Processing", "Synthesis of 1/F noise").
Signal pink(std::int64_t frames, double level) {
  auto x = std::make_shared<std::vector<float>>();
  const Signal white = noise(5, 1);
  double y[3] = {}, in[3] = {};
  for (std::int64_t f = 0; f < frames; ++f) {
    double v = white(f, 0);
    const double zero[] = {0.98443604, 0.83392334, 0.07568359}, pole[] = {0.99572754, 0.94790649, 0.53567505};
    for (int k = 0; k < 3; ++k) {
      const double out = v - zero[k] * in[k] + pole[k] * y[k];
      in[k] = v;
      y[k] = v = out;
    }
    x->push_back(static_cast<float>(level * v));
  }
  return [x](std::int64_t f, int) { return (*x)[static_cast<std::size_t>(f) % x->size()]; };
}

SettingsView viewOf(const Processor& p) {
  return {findFinisher(p.type)->table(), p.settings};
}

/// Level of a tone in the second second, dB.
double toneDb(const StereoBuffer& b, double hz) {
  return Decibels::ofGain(toneLevel(b.left() + 48000, 48000, hz, kRate)).value;
}

} // namespace

TEST_CASE("the filter's curve is its response", "[finish]") {
  for (const double slope : {12.0, 24.0})
    for (const double resonance : {0.0, 60.0}) {
      const Processor p{
          "filter",
          {{"low_cut_hz", 300.0}, {"high_cut_hz", 5000.0}, {"slope_db", slope}, {"resonance_percent", resonance}}};
      const FilterCurve curve(viewOf(p), 0, kRate);
      for (const double hz : {80.0, 200.0, 300.0, 440.0, 1500.0, 5000.0, 9000.0, 16000.0}) {
        INFO(hz << " Hz, " << slope << " dB per octave, resonance " << resonance);
        const Signal s = sine(hz, 48000, 0.1);
        const double heard = toneDb(through(s, p), hz) - Decibels::ofGain(0.1).value;
        if (heard > -70) CHECK(curve.gainDb(hz) == Approx(heard).margin(0.02)); // under that the window's leakage tells
        CHECK(curve.gainDb(hz) < (resonance > 0 ? 25 : 0.01));
      }
    }
  const Processor open{"filter", {}};
  CHECK(FilterCurve(viewOf(open), 0, kRate).gainDb(1000) == 0);
}

TEST_CASE("the compressor's curve is where a steady level settles", "[finish]") {
  for (const double ratio : {1.0, 2.0, 8.0}) {
    const Processor p{"compressor",
                      {{"threshold_db", -24.0}, {"ratio", ratio}, {"makeup_db", 3.0}, {"attack_ms", 1.0}}};
    for (double in = -48; in <= -3; in += 3) {
      INFO("ratio " << ratio << ", " << in << " dB");
      // A square wave has one level all the time.
      const auto level = static_cast<float>(Decibels(in).gain());
      const StereoBuffer b = through([level](std::int64_t f, int) { return f / 100 % 2 == 0 ? level : -level; }, p);
      CHECK(Decibels::ofGain(std::abs(b.left()[90000])).value == Approx(compressorOutDb(viewOf(p), in)).margin(0.01));
    }
  }
  // The knee is smooth: no jump, and the slope goes from one law to the other.
  double before = compressorReductionDb(-6, 0.75);
  for (double over = -6; over <= 6; over += 0.01) {
    const double now = compressorReductionDb(over, 0.75);
    CHECK(now - before >= 0);
    CHECK(now - before <= 0.75 * 0.01 + 1e-9);
    before = now;
  }
}

TEST_CASE("drive follows its curve, is as loud out as in, and folds nothing back", "[finish][drive][heavy]") {
  // The curve, of a level that stands: made up to what it was, so a ratio of two levels tells.
  for (const double amount : {0.3, 1.0}) {
    const DriveCurve curve(amount, 0.25);
    const auto stairs = [](std::int64_t f) { return f % 400 < 200 ? 0.25f : 0.0625f; };
    std::vector<float> x(48000);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = stairs(static_cast<std::int64_t>(i));
    Drive d(curve, kRate);
    CHECK(d.latency() == 32);
    d.process(x.data(), 48000);
    const double high = static_cast<double>(x[40000 + 32 + 100]), low = static_cast<double>(x[40000 + 32 + 300]);
    CHECK(high / low == Approx(curve.at(0.25) / curve.at(0.0625)).epsilon(0.04)); // the make-up breathes a little
  }
  // Loudness.
  for (const double amount : {0.2, 0.6, 1.0})
    for (const double level : {0.02, 0.25, 0.9}) {
      const Signal sounds[] = {sine(220, kRate, level), noise(3, level), chord(level)};
      for (const Signal& s : sounds) {
        const StereoBuffer in = fill(48000, s);
        StereoBuffer out = in;
        Drive d({amount, 0.25}, kRate);
        d.process(out.left(), 48000);
        const double change = rmsDb(out.left() + 9600, 38400) - rmsDb(in.left() + 9600 - 32, 38400);
        INFO(amount << ", level " << level);
        CHECK(std::abs(change) < 1);
        // Tones keep their peaks; of white noise, clipped, the band's limit makes peaks anew.
        CHECK(largest(out) <= (&s == &sounds[1] ? 2.3f : 1.1f) * largest(in));
      }
    }
  // What folds back: everything that is no harmonic of 5 kHz.
  for (const double hz : {1100.0, 5000.0, 7300.0}) {
    StereoBuffer out = fill(96000, sine(hz, kRate, 0.25));
    Drive d({1, 0.25}, kRate);
    d.process(out.left(), 96000);
    const double tone = toneLevel(out.left() + 48000, 48000, hz, kRate);
    double worst = 0;
    for (double at = 50; at < 20000; at += 50) {
      const double off = std::fmod(at, hz);
      if (std::min(off, hz - off) > 45) worst = std::max(worst, toneLevel(out.left() + 48000, 48000, at, kRate));
    }
    INFO(hz << " Hz: " << 20 * std::log10(worst / tone) << " dBc");
    CHECK(20 * std::log10(worst / tone) < (hz > 5000 ? -55 : -70));
  }
  // The same whatever the sizes of the calls; and in the finish it is in time.
  StereoBuffer whole = fill(5000, noise(4, 0.5)), pieces = whole;
  Drive a({0.7, 0.25}, kRate), b = a;
  a.process(whole.left(), 5000);
  for (std::int64_t at = 0, n = 1; at < 5000; at += n, n = n * 7 % 331 + 1)
    b.process(pieces.left() + at, n = std::min<std::int64_t>(n, 5000 - at));
  CHECK(std::equal(whole.left(), whole.left() + 5000, pieces.left()));
  const StereoBuffer soft =
      through(only(30000, 30001, [](auto, auto) { return 0.001f; }), {"dirt", {{"drive_percent", 100.0}}});
  CHECK(soft.left()[30000] == Approx(0.001).epsilon(0.01));
  CHECK(std::abs(soft.left()[30001]) < 1e-5f);
}

TEST_CASE("a moving cutoff goes evenly over octaves, without a zip, and sings no louder", "[finish][sweep][heavy]") {
  const auto sweep = [](const Signal& s, double from, double to, double resonance, CurveLaw law) {
    TestSong t;
    t.song.hzLaw = law;
    t.stem("v", 8 * 24000, s);
    t.ornament("treat", "v", 0, 8, {{"tail_seconds", 0.0}}).finish = {
        {"filter",
         {{"high_cut_hz", List{Value(List{Value(0.0), Value(from)}), Value(List{Value(8.0), Value(to)})}},
          {"resonance_percent", resonance}}}};
    return printOf(*t.plan(), "o1");
  };
  constexpr double kTenthDb = -23.01; // a sine of 0.1, RMS
  // Half way between 400 and 6400 Hz over octaves stands 1600, where it lets half the power through.
  const StereoBuffer even = sweep(sine(1600, kRate, 0.1), 400, 6400, 0, CurveLaw::log);
  CHECK(rmsDb(even.left() + 95000, 2000) - kTenthDb == Approx(-3).margin(0.15));
  const StereoBuffer straight = sweep(sine(1600, kRate, 0.1), 400, 6400, 0, CurveLaw::linear);
  CHECK(rmsDb(straight.left() + 95000, 2000) - kTenthDb > -0.4); // at 3400 Hz there
  // A tone that it passes over: nothing but the tone, no nearer than 300 Hz.
  const StereoBuffer passed = sweep(sine(1000, kRate, 0.3), 300, 6000, 70, CurveLaw::log);
  const double beside = Decibels::ofGain(toneLevel(passed.left() + 24000, 144000, 1000, kRate)).value;
  double worst = -200;
  for (double hz = 100; hz < 12000; hz += 25)
    if (std::abs(hz - 1000) > 300)
      worst = std::max(worst, Decibels::ofGain(toneLevel(passed.left() + 24000, 144000, hz, kRate)).value);
  INFO("beside the tone " << worst - beside << " dB");
  CHECK(worst - beside < -80);
  // With resonance it is as loud as without, all the way.
  for (const double slope : {12.0, 24.0}) {
    const Signal s = pink(16L * 24000, 0.1);
    TestSong t;
    t.song.hzLaw = CurveLaw::log;
    t.stem("v", 16 * 24000, s);
    for (const double resonance : {0.0, 70.0})
      t.ornament("treat", "v", 0, 16, {{"tail_seconds", 0.0}, {"dry", "keep"}}).finish = {
          {"filter",
           {{"high_cut_hz", List{Value(List{Value(0.0), Value(200.0)}), Value(List{Value(16.0), Value(8000.0)})}},
            {"slope_db", slope},
            {"resonance_percent", resonance}}}};
    t.ornaments[1].hears = Hears::dry;
    const auto plan = t.plan();
    const StereoBuffer plain = printOf(*plan, "o1"), sung = printOf(*plan, "o2");
    for (std::int64_t at = 24000; at + 48000 <= plain.frames(); at += 24000) {
      const auto loud = [&](const StereoBuffer& b) {
        return loudestWindowLufs(kWeightedPower(b.left() + at, b.right() + at, 48000, kRate), 48000);
      };
      INFO("slope " << slope << ", at " << at);
      CHECK(std::abs(loud(sung) - loud(plain)) < 3);
    }
  }
}

TEST_CASE("dirt's curve is what becomes of a sample", "[finish]") {
  const auto ramp = [](std::int64_t f, int) { return static_cast<float>(static_cast<double>(f) / 96000 - 1); };
  for (const auto& settings : {Settings{{"bits", 6.0}}, Settings{{"bits", 5.0}}, Settings{}}) {
    const Processor p{"dirt", settings};
    const StereoBuffer b = through(ramp, p);
    double worst = 0;
    int steps = 0;
    float last = 2;
    for (std::int64_t f = 9600; f < 180000; ++f) {
      // Within a sample of a step's edge it may lie on either side, found in single precision.
      double low = 2, high = -2;
      for (const int k : {-1, 0, 1}) {
        const double x = dirtTransfer(viewOf(p), static_cast<double>(ramp(f + k, 0)));
        low = std::min(low, x);
        high = std::max(high, x);
      }
      const auto heard = static_cast<double>(b.left()[f]), off = std::max(low - heard, heard - high);
      worst = std::max(worst, off);
      steps += b.left()[f] != last;
      last = b.left()[f];
    }
    CHECK(worst < 2e-5);
    if (settings.contains("bits")) CHECK(steps < 200);
  }
  CHECK(dirtTransfer(viewOf(Processor{"dirt", {}}), 0.3) == 0.3);
}

TEST_CASE("the tremolo's gain is its law at every phase", "[finish]") {
  const Processor p{"tremolo", {{"rate", 2.0}, {"depth_percent", 70.0}, {"spread_percent", 100.0}}};
  const StereoBuffer b = through([](std::int64_t, int) { return 0.5f; }, p);
  double worst = 0;
  for (std::int64_t f = 4800; f < 90000; ++f) {
    const double phase = 2 * std::numbers::pi * 2 * static_cast<double>(f) / kRate;
    worst = std::max(worst, std::abs(static_cast<double>(b.left()[f]) - 0.5 * tremoloGain(0.7, phase)));
    worst =
        std::max(worst, std::abs(static_cast<double>(b.right()[f]) - 0.5 * tremoloGain(0.7, phase + std::numbers::pi)));
  }
  CHECK(worst < 1e-5);
}

TEST_CASE("the echo's ladder is where its echoes are, on which side, and how loud", "[finish]") {
  for (const char* pattern : {"straight", "ping-pong", "cross"}) {
    INFO(pattern);
    const Processor p{"echo",
                      {{"time_left", 125.0},
                       {"time_right", 200.0},
                       {"pattern", pattern},
                       {"feedback_percent", 60.0},
                       {"mix_percent", 100.0}}};
    const StereoBuffer b = through([](std::int64_t f, int) { return f == 9600 ? 0.8f : 0.0f; }, p);
    DelayThrowSettings s;
    s.timeLeft = 6000;
    s.timeRight = 9600;
    s.pattern = echoPatternOf(Value(pattern));
    s.feedbackLeft = s.feedbackRight = Curve(0.6);
    s.send = Curve(1);
    int found = 0;
    for (const Echo& e : echoLadder(s, 24000, 0.05)) {
      const auto at = 9600 + static_cast<std::int64_t>(e.frames);
      if (at >= b.frames()) break;
      // Echoes of both sides may come together, and of several ways round: at least this much is there.
      CHECK((e.right ? b.right() : b.left())[at] >= static_cast<float>(0.8 * e.gain * 0.999));
      ++found;
    }
    CHECK(found >= 6);
    double all = 0, told = 0;
    for (std::int64_t f = 0; f < b.frames(); ++f) all += static_cast<double>(b.left()[f] + b.right()[f]);
    for (const Echo& e : echoLadder(s, 24000, 1e-6))
      if (9600 + e.frames < static_cast<double>(b.frames())) told += 0.8 * e.gain;
    CHECK(all == Approx(told).epsilon(0.001)); // and nothing else is
  }
}
