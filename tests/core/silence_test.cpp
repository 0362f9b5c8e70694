// Where nothing sounds nothing is computed; what sounds after it is as if all had been.
#include "dsp/space/rest.h"
#include "dsp/speed/stretch.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;

/// Two bursts of a tenth of a second, a long silence apart; `hum` everywhere else.
Signal twoBursts(std::int64_t second, float hum) {
  return [inner = noise(3, 0.3), second, hum](std::int64_t f, int side) {
    const bool sounds = f < 4800 || (f >= second && f < second + 4800);
    return sounds ? inner(f, side) : hum;
  };
}

} // namespace

TEST_CASE("A processor that rests in a silence goes on as if it had not", "[silence][finish]") {
  struct Row {
    const char* name;
    Processor p;
    bool restsToZero; // nothing of it is left in the silence, exactly
  };
  const Row rows[] = {{"plate", {"reverb", {{"decay_seconds", 0.3}, {"modulation_percent", 80.0}}}, true},
                      {"hall", {"reverb", {{"character", "hall"}, {"decay_seconds", 0.3}}}, true},
                      {"room", {"reverb", {{"character", "room"}, {"decay_seconds", 0.3}}}, true},
                      {"spring", {"reverb", {{"character", "spring"}, {"decay_seconds", 0.3}}}, true},
                      {"phaser", {"phaser", {{"rate", 0.7}, {"feedback_percent", 60.0}}}, true},
                      {"chorus", {"chorus", {{"rate", 0.7}}}, true},
                      {"tremolo", {"tremolo", {{"rate", 0.7}}}, true},
                      {"compressor", {"compressor", {{"threshold_db", -40.0}}}, true},
                      {"filter", {"filter", {{"low_cut_hz", 300.0}, {"high_cut_hz", 3000.0}}}, true}};
  constexpr std::int64_t kSecond = 9 * kRate;
  for (const Row& r : rows) {
    INFO(r.name);
    TestSong t(kRate, 120);
    // −600 dBFS keeps a processor from ever resting and is far under the last bit of what is heard.
    t.stem("silent", 10 * kRate, twoBursts(kSecond, 0));
    t.stem("hums", 10 * kRate, twoBursts(kSecond, 1e-30f));
    for (const char* row : {"silent", "hums"}) t.ornament("treat", row, 0, 20).finish = {r.p};
    const auto plan = t.plan();
    const StereoBuffer rested = printOf(*plan, "o1"), never = printOf(*plan, "o2");
    float apart = 0, left = 0;
    for (std::int64_t f = 0; f < std::min(rested.frames(), never.frames()); ++f) {
      apart = std::max(
          {apart, std::abs(rested.left()[f] - never.left()[f]), std::abs(rested.right()[f] - never.right()[f])});
      if (f >= 8 * kRate && f < kSecond)
        left = std::max({left, std::abs(rested.left()[f]), std::abs(rested.right()[f])});
    }
    CHECK(largest(rested) > 0.01f);
    CHECK(apart < 1e-25f);
    CHECK(left == 0);
  }
}

TEST_CASE("A rest begins after a memory's length of silence and ends with the first sound", "[silence]") {
  Rest rest;
  StereoBuffer sound(128), none(128);
  sound.left()[100] = 1e-20f;
  const auto block = [&](StereoBuffer& in, float stored) {
    rest.comes(in.span());
    rest.stores(stored);
    return rest.begins(128, 1000);
  };
  CHECK_FALSE(block(sound, 0.5f));
  for (int i = 0; i < 20; ++i) CHECK_FALSE(block(none, 1e-10f)); // still rings
  int until = 1;
  while (!block(none, 1e-31f)) ++until;
  CHECK(until == 8); // 8 · 128 ≥ 1000
  CHECK(rest.resting());
  CHECK_FALSE(block(none, 0));
  rest.comes(sound.span());
  CHECK_FALSE(rest.resting());
}

TEST_CASE("What is stretched rests in a long silence and is in its place after it", "[silence][stretch]") {
  for (const double ratio : {1.0, 2.0, 3.0}) {
    INFO(ratio);
    // Three clicks: on the origin, and after silences of 4 and 5 s, whose frames no ratio divides.
    const std::int64_t clicks[] = {0, 200013, 460001};
    Stretch s(kRate, ratio, 1.0, [&](std::int64_t from, StereoSpan out) {
      out.clear();
      for (const std::int64_t c : clicks)
        if (c >= from && c < from + out.frames) out.left[c - from] = out.right[c - from] = 0.5f;
    });
    s.begin(0);
    StereoBuffer y(static_cast<std::int64_t>(ratio * 480000));
    for (std::int64_t at = 0; at < y.frames(); at += 1000)
      s.read(at, y.span().part(at, std::min<std::int64_t>(1000, y.frames() - at)));
    for (const std::int64_t c : clicks) {
      const auto want = static_cast<std::int64_t>(static_cast<double>(c) * ratio);
      const PeakAt p = peakIn(y.left(), std::max<std::int64_t>(0, want - 20000), std::min(y.frames(), want + 20000));
      CHECK(std::abs(p.frame - want) <= 1);
      CHECK(p.value > 0.49f);
    }
    // In the midst of the silence there is nothing at all, not even the engine's own rounding.
    const auto from = static_cast<std::int64_t>(ratio * 330000), to = static_cast<std::int64_t>(ratio * 440000);
    CHECK(peakIn(y.left(), from, to).value == 0);
  }
}

TEST_CASE("Under locked time the glide goes on through a silence", "[silence][stretch][tape]") {
  // A tone, four seconds of nothing, the tone again: its pitch is where the glide is by then.
  Stretch s(kRate, 1.0, 1.0, [&](std::int64_t from, StereoSpan out) {
    const Signal tone = sine(1000, kRate, 0.5);
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const std::int64_t f = from + i;
      out.left[i] = out.right[i] = (f >= 0 && f < 24000) || f >= 216000 ? tone(f, 0) : 0;
    }
  });
  s.follow([](std::int64_t frame) { return frame < 192000 ? 1.0 : 0.5; });
  StereoBuffer y(288000);
  s.read(0, y.span());
  CHECK(toneLevel(y.left() + 4800, 14400, 1000, kRate) == Approx(0.5).margin(0.05));
  CHECK(toneLevel(y.left() + 240000, 38400, 500, kRate) == Approx(0.5).margin(0.05));
  CHECK(toneLevel(y.left() + 240000, 38400, 1000, kRate) < 0.005);
}
