// The echo loop by itself: where echoes are, what goes round, what its parts do, and that nothing depends on how much
// is asked for at a time. (As a throw and in the finish it is tested there.)
#include "dsp/delay/echo_loop.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// What comes out while `s` goes in, `each` frames at a time.
StereoBuffer through(const EchoSettings& settings, std::int64_t frames, const Signal& s, std::int64_t each = 1024) {
  EchoLoop loop(settings, kRate);
  StereoBuffer b = fill(frames, s);
  for (std::int64_t at = 0; at < frames; at += each) loop.process(b.span().part(at, std::min(each, frames - at)));
  return b;
}

Signal click(std::int64_t at, float level = 1) {
  return [=](std::int64_t f, int side) { return f == at && side == 0 ? level : 0.0f; };
}

/// With every part there is.
EchoSettings everything() {
  EchoSettings e;
  e.timeLeft = 5000.25;
  e.timeRight = 7000;
  e.pattern = EchoPattern::cross;
  e.feedback = {0.7, 0.6};
  e.drive = 0.5;
  e.lowCutHz = {200, std::nullopt};
  e.highCutHz = {6000, 9000};
  e.swing = 100;
  e.phase = {0.3, 1.7, 2.9, 4.1};
  e.ceiling = 0.8;
  return e;
}

} // namespace

TEST_CASE("what comes out does not depend on how much is asked for at a time", "[dsp][echo]") {
  for (const bool all : {false, true}) {
    const EchoSettings e = all ? everything() : EchoSettings{};
    const StereoBuffer whole = through(e, 96000, noise(5, 0.5));
    for (const std::int64_t each : {1, 63, 1000, 4096, 96000}) {
      if (all && each == 1) continue; // the same, but it takes its time
      INFO(each << " frames at a time");
      CHECK(through(e, 96000, noise(5, 0.5), each) == whole);
    }
  }
}

TEST_CASE("echoes come at whole multiples of the time, each by the feedback softer", "[dsp][echo]") {
  EchoSettings e;
  e.timeLeft = 6000;
  e.timeRight = 9000;
  e.feedback = {0.5, 0.8};
  const StereoBuffer b = through(e, 60000, click(100));
  for (int k = 1; k <= 9; ++k) CHECK(b.left()[100 + 6000 * k] == Approx(std::pow(0.5, k - 1)).margin(1e-6));
  double rest = 0;
  for (std::int64_t f = 0; f < 60000; ++f)
    if (f < 100 || (f - 100) % 6000 != 0 || f == 100) rest += std::abs(static_cast<double>(b.left()[f]));
  CHECK(rest == 0);
  CHECK(largest(through(e, 60000, [](std::int64_t, int) { return 0.0f; })) == 0);
  // Ping-pong: half of it from the middle, then from side to side, by the time and the feedback of the side it goes to.
  e.pattern = EchoPattern::pingPong;
  const StereoBuffer p = through(e, 60000, click(100));
  CHECK(p.left()[100 + 6000] == Approx(0.5));
  CHECK(p.right()[100 + 6000 + 9000] == Approx(0.5 * 0.8));
  CHECK(p.left()[100 + 2 * 6000 + 9000] == Approx(0.5 * 0.8 * 0.5));
  CHECK(p.right()[100 + 6000] == 0);
}

TEST_CASE("a time that is not whole is met between the samples, flat in frequency", "[dsp][echo]") {
  EchoSettings e;
  e.timeLeft = e.timeRight = 4000.37;
  e.feedback = {0, 0};
  for (const double hz : {100.0, 1000.0, 5000.0, 12000.0, 18000.0}) {
    const StereoBuffer b = through(e, 96000, sine(hz, kRate, 0.5));
    // Against the sine that is that much later: what is left is under −80 dB.
    double worst = 0;
    for (std::int64_t f = 48000; f < 90000; ++f)
      worst = std::max(worst, std::abs(static_cast<double>(b.left()[f]) -
                                       0.5 * std::sin(2 * M_PI * hz * (static_cast<double>(f) - 4000.37) / kRate)));
    INFO(hz << " Hz");
    CHECK(worst < 0.5e-4);
  }
}

TEST_CASE("under a ceiling nothing that leaves the loop is above it, at any feedback", "[dsp][echo]") {
  for (const double feedback : {0.5, 1.0, 2.0})
    for (const double ceiling : {0.1, 0.5}) {
      EchoSettings e;
      e.timeLeft = e.timeRight = 3000;
      e.feedback = {feedback, feedback};
      e.ceiling = ceiling;
      const StereoBuffer b = through(e, 10 * 48000, noise(8, 0.5));
      INFO("feedback " << feedback << ", ceiling " << ceiling);
      CHECK(largest(b) <= static_cast<float>(ceiling) * 1.000001f);
      CHECK(largest(b) > 0.9f * static_cast<float>(ceiling)); // it is reached
      // What lies in the loop does not move the echo.
      const StereoBuffer one = through(e, 12000, click(0, 0.05f));
      CHECK(peakIn(one.left(), 0, 5999).frame == 3000);
    }
}

TEST_CASE("after its memory has gone by nothing of a sound is left in a loop without feedback", "[dsp][echo]") {
  EchoSettings e = everything();
  e.feedback = {0, 0};
  e.lowCutHz = e.highCutHz = {};
  EchoLoop loop(e, kRate);
  StereoBuffer b = fill(24000, noise(2, 0.5));
  loop.process(b.span());
  CHECK(loop.stored() > 0.3f);
  StereoBuffer silence(60000);
  silence.span().clear();
  loop.process(silence.span());
  CHECK(loop.stored() == 0);
  const std::int64_t gone = loop.memoryFrames();
  CHECK(gone >= 7000 + 100);
  CHECK(gone <= 7000 + 100 + 64);
  CHECK(largest(silence) > 0.1f);
  float after = 0;
  // The limiter's lookahead (72 frames) comes on top.
  for (std::int64_t f = gone + 72; f < silence.frames(); ++f)
    after = std::max({after, std::abs(silence.left()[f]), std::abs(silence.right()[f])});
  CHECK(after == 0);
}

TEST_CASE("feedback that moves is taken frame by frame", "[dsp][echo]") {
  EchoSettings e;
  e.timeLeft = e.timeRight = 1000;
  std::int64_t asked = 0;
  e.moving = [&asked](std::int64_t at, float* left, float* right, std::int64_t n) {
    CHECK(at == asked);
    asked += n;
    for (std::int64_t i = 0; i < n; ++i) left[i] = right[i] = at + i < 5500 ? 0.9f : 0.0f; // cut off there
  };
  const StereoBuffer b = through(e, 20000, click(0));
  CHECK(asked == 20000);
  CHECK(b.left()[6000] == Approx(std::pow(0.9, 5)).epsilon(1e-5));
  CHECK(b.left()[7000] == 0); // the echo at 6000 found the feedback gone
}

TEST_CASE("a driven loop is in time, as loud as an undriven one, and dies with it", "[echo][drive]") {
  for (const double hz : {180.0, 700.0, 5000.0}) {
    EchoSettings e;
    e.timeLeft = e.timeRight = 9600;
    e.feedback = {0.85, 0.85};
    const Signal burst = only(0, 7200, sine(hz, kRate, 0.5));
    const StereoBuffer plain = through(e, 14 * 9600, burst);
    e.drive = 1;
    e.driveReference = 0.5;
    const StereoBuffer driven = through(e, 14 * 9600, burst);
    for (int k = 1; k < 13; ++k) {
      INFO(hz << " Hz, echo " << k);
      const std::int64_t at = k * 9600 + 600;
      CHECK(rmsDb(driven.left() + at, 6000) == Approx(rmsDb(plain.left() + at, 6000)).margin(1));
    }
  }
  // In time: a click that saturation leaves alone.
  EchoSettings e;
  e.timeLeft = e.timeRight = 9600;
  e.feedback = {0.5, 0.5};
  e.drive = 1;
  const StereoBuffer b = through(e, 60000, click(0, 1e-3f));
  for (int k = 1; k < 6; ++k) {
    CHECK(Decibels::ofGain(static_cast<double>(b.left()[k * 9600]) / (1e-3 * std::pow(0.5, k - 1))).value ==
          Approx(0).margin(0.1));
    CHECK(std::abs(b.left()[k * 9600 - 1]) < 1e-7f);
  }
  // With hardly any time for it.
  EchoSettings brief = e;
  brief.timeLeft = brief.timeRight = 20;
  CHECK(largest(through(brief, 48000, only(0, 4800, sine(700, kRate, 0.9)))) < 1.2f);
}
