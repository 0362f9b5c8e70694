// What a processor's drawing is made of is what the processor does: its law against its sound.
#include "finish/curves.h"
#include "finish/finisher.h"
#include "finish/shared_settings.h"
#include "ornaments/delay_throw_settings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

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

TEST_CASE("dirt's curve is what becomes of a sample", "[finish]") {
  const auto ramp = [](std::int64_t f, int) { return static_cast<float>(static_cast<double>(f) / 96000 - 1); };
  for (const auto& settings : {Settings{{"bits", 6.0}}, Settings{{"drive_percent", 80.0}},
                               Settings{{"bits", 5.0}, {"drive_percent", 30.0}}, Settings{}}) {
    const Processor p{"dirt", settings};
    const StereoBuffer b = through(ramp, p);
    double worst = 0;
    int steps = 0;
    float last = 2;
    for (std::int64_t f = 9600; f < 180000; ++f) {
      // Within a sample of a step's edge it may lie on either side, found in single precision; and what saturation
      // takes off is antialiased there, a mean over the step.
      double low = 2, high = -2;
      for (const int k : {-1, 0, 1}) {
        const double x = dirtTransfer(viewOf(p), static_cast<double>(ramp(f + k, 0)));
        low = std::min(low, x);
        high = std::max(high, x);
      }
      if (settings.contains("drive_percent") && high - low > 1e-3) continue;
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
