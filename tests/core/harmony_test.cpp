// harmony: voices in the song's key, measured; and the note that a sound is heard as.
#include "dsp/measure/spectrum.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;
constexpr std::int64_t kBeat = 24000;

double hzOf(int note) {
  return 440 * std::exp2((note - 69) / 12.0);
}

/// A note of four harmonics on both sides, from beat 2 to 6.
Signal sung(int note) {
  return [=](std::int64_t f, int s) {
    double all = 0;
    for (int h = 1; h <= 4; ++h) all += sine(h * hzOf(note), kRate, 0.12 / h)(f, s);
    const double in = std::clamp(static_cast<double>(f - 2 * kBeat) / 2400, 0.0, 1.0),
                 out = std::clamp(static_cast<double>(6 * kBeat - f) / 2400, 0.0, 1.0);
    return all * in * out;
  };
}

/// The print of a treat whose finish is a harmony.
StereoBuffer harmonised(int note, const Key& key, Settings settings) {
  TestSong t;
  t.song.key = key;
  t.stem("v", 8 * kBeat, sung(note));
  Ornament& o = t.ornament("treat", "v", 2, 4, {{"tail_seconds", 0.0}});
  settings.emplace("spread_percent", 0.0);
  o.finish = {{"harmony", std::move(settings)}};
  return printOf(*t.plan(), "o1");
}

double levelAt(const StereoBuffer& b, int note) {
  return 20 * std::log10(toneLevel(b.left() + kBeat, 2 * kBeat, hzOf(note), kRate) + 1e-9);
}

} // namespace

TEST_CASE("voices stand in the song's key: a third, a fifth, an octave, below too", "[harmony][heavy]") {
  struct Expected {
    int note;
    Key key;
    double steps;
    int semitones;
  };
  const Key aMinor{9, true}, cMajor{0, false}, dMinor{2, true};
  const Expected all[] = {{69, aMinor, 2, 3},    {69, aMinor, 4, 7}, {69, aMinor, 9, 15},  {60, cMajor, 2, 4},
                          {62, cMajor, 2, 3},    {71, cMajor, 4, 6}, {71, cMajor, 2, 3},   {62, dMinor, -2, -4},
                          {65, dMinor, -6, -10}, {67, dMinor, 2, 3}, {64, cMajor, -1, -2}, {60, cMajor, -1, -1}};
  for (const Expected& e : all) {
    INFO(e.note << " in " << keyText(e.key) << " by " << e.steps);
    const StereoBuffer b = harmonised(e.note, e.key, {{"steps", Value(List{e.steps})}, {"level_db", -6.0}});
    const double own = levelAt(b, e.note);
    CHECK(own == Approx(20 * std::log10(0.12)).margin(1.5)); // itself as it was
    CHECK(levelAt(b, e.note + e.semitones) - own == Approx(-6).margin(2));
    // And no other note beside them.
    for (const int other : {e.note + 1, e.note - 1, e.note + 8, e.note - 5})
      if ((other - e.note - e.semitones) % 12 != 0) CHECK(levelAt(b, other) < own - 26);
  }
}

TEST_CASE("voices of a harmony are in tune within three cents, apart on the sides, and as long as what comes in",
          "[harmony]") {
  const Key c{0, false};
  const StereoBuffer b = harmonised(60, c, {{"steps", Value(List{2.0, 4.0})}, {"spread_percent", 100.0}});
  CHECK(b.frames() == 4 * kBeat);
  const auto at = [&](const float* side, double hz) { return toneLevel(side + kBeat, 2 * kBeat, hz, kRate); };
  CHECK(at(b.right(), hzOf(64)) > 30 * at(b.left(), hzOf(64)));
  CHECK(at(b.left(), hzOf(67)) > 30 * at(b.right(), hzOf(67)));
  for (const auto& [side, note] : {std::pair{b.right(), 64}, {b.left(), 67}}) {
    double best = 0, most = 0;
    for (double cents = -20; cents <= 20; cents += 0.5) {
      const double level = at(side, hzOf(note) * std::exp2(cents / 1200));
      if (level > most) {
        most = level;
        best = cents;
      }
    }
    CHECK(std::abs(best) <= 3);
  }
  // Nothing comes of nothing, and without voices all stays as it is.
  TestSong t;
  t.stem("v", 8 * kBeat, [](std::int64_t, int) { return 0.0; });
  t.ornament("treat", "v", 2, 4).finish = {{"harmony", {}}};
  CHECK(largest(printOf(*t.plan(), "o1")) == 0);
}

TEST_CASE("the note that sounds most is found over three octaves, also where its first harmonic is weak",
          "[harmony][dsp]") {
  for (int note = 45; note <= 80; note += 5) {
    const Signal s = [=](std::int64_t f, int side) {
      double all = 0;
      for (int h = 1; h <= 6; ++h) all += sine(h * hzOf(note), kRate, h == 1 ? 0.01 : 0.1 / h)(f, side);
      return all;
    };
    const StereoBuffer b = fill(48000, s);
    const auto found = strongestNote(meanSpectrum(kRate, {Frames(0), Frames(48000)}, 0.35, readerOf(s)));
    REQUIRE(found);
    CHECK(*found % 12 == note % 12);
  }
  CHECK_FALSE(strongestNote(
      meanSpectrum(kRate, {Frames(0), Frames(48000)}, 0.35, readerOf([](std::int64_t, int) { return 0.0; }))));
}
