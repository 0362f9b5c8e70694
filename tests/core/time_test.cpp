#include "time/note_value.h"
#include "time/tempo_map.h"

#include <catch2/catch.hpp>

#include <type_traits>

using namespace ivrin;

namespace {

template <class A, class B>
concept Adds = requires(A a, B b) {
  a + b;
};
template <class A, class B>
concept Compares = requires(A a, B b) {
  a < b;
};

// What must not compile.
static_assert(Adds<Beats, Beats> && Adds<Frames, Frames> && Adds<Seconds, Seconds>);
static_assert(!Adds<Beats, Frames> && !Adds<Frames, Seconds> && !Adds<Beats, Seconds> && !Adds<Beats, int> &&
              !Adds<Frames, double>);
static_assert(!Compares<Beats, Frames> && !Compares<Seconds, Frames> && !Compares<Decibels, Seconds>);
static_assert(!std::is_convertible_v<std::int64_t, Beats> && !std::is_convertible_v<double, Seconds> &&
              !std::is_convertible_v<Frames, Beats>);

TempoMap changing() {
  return TempoMap({{Beats(0), 120}, {Beats::ofQuarters(8), 90}, {Beats::ofQuarters(14), 173.5}},
                  {{Beats(0), 4, 4}, {Beats::ofQuarters(8), 3, 4}, {Beats::ofQuarters(14), 7, 8}}, Seconds(0.25),
                  48000);
}

} // namespace

TEST_CASE("beats are written with the fewest digits that read back to the same tick", "[time]") {
  CHECK(shortestBeats(Beats::ofQuarters(30.5)) == "30.5");
  CHECK(shortestBeats(Beats(kTicksPerQuarter / 3)) == "0.333333");
  for (const std::int64_t t : {std::int64_t{1}, std::int64_t{-1}, kTicksPerQuarter / 7, kTicksPerQuarter * 123456 + 1,
                               -kTicksPerQuarter * 3 / 5})
    CHECK(Beats::ofQuarters(std::strtod(shortestBeats(Beats(t)).c_str(), nullptr)).ticks == t);
}

TEST_CASE("the tempo map holds over changes of tempo and before bar 1", "[time]") {
  const TempoMap m = changing();
  CHECK(m.secondsAt(Beats(0)).value == Approx(0.25).margin(1e-12));
  CHECK(m.secondsAt(Beats::ofQuarters(8)).value == Approx(0.25 + 4).margin(1e-12));
  CHECK(m.secondsAt(Beats::ofQuarters(14)).value == Approx(4.25 + 4).margin(1e-12));
  CHECK(m.secondsAt(Beats::ofQuarters(-2)).value == Approx(0.25 - 1).margin(1e-12)); // the first tempo holds before 0
  CHECK(m.frameAt(Beats::ofQuarters(20)).count == std::llround((8.25 + 6 * 60 / 173.5) * 48000));
  // Frames there and back: a tick is finer than half a frame.
  for (std::int64_t f = -60000; f < 900000; f += 7919) CHECK(m.frameAt(m.beatAt(Frames(f))).count == f);
}

TEST_CASE("bars follow the meter", "[time]") {
  const TempoMap m = changing();
  CHECK(m.barAt(Beats::ofQuarters(7.5)) == BarPosition{2, 4, kTicksPerQuarter / 2});
  CHECK(m.barAt(Beats::ofQuarters(8)) == BarPosition{3, 1, 0});
  CHECK(m.barAt(Beats::ofQuarters(14)) == BarPosition{5, 1, 0});
  CHECK(m.barAt(Beats::ofQuarters(14 + 3.5)) == BarPosition{6, 1, 0}); // 7/8
  CHECK(m.barAt(Beats::ofQuarters(-0.5)) == BarPosition{0, 4, kTicksPerQuarter / 2});
  for (std::int64_t bar = -3; bar < 12; ++bar) CHECK(m.barAt(m.barStart(bar)).bar == bar);
}

TEST_CASE("note values", "[time]") {
  const TempoMap m({{Beats(0), 120}}, {{Beats(0), 6, 8}}, Seconds(0), 48000);
  const auto ms = [&](const char* text) { return NoteValue::parse(text)->seconds(m, Beats(0)).value * 1000; };
  CHECK(ms("1/4") == Approx(500));
  CHECK(ms("1/8.") == Approx(375));
  CHECK(ms("1/16t") == Approx(500.0 / 6));
  CHECK(ms("1 bar") == Approx(1500)); // six eighths
  CHECK(ms("2 bars") == Approx(3000));
  for (const char* wrong :
       {"", "1/", "1/3", "1/8..", "1/8x", "bar", "0 bars", "65 bars", "2 bar", "1/256", "65/4", "3/8.", "0 beats"})
    CHECK_FALSE(NoteValue::parse(wrong));
  for (const NoteValue& v : allNoteValues(m, Beats(0))) CHECK(NoteValue::parse(v.text()) == v);
}

TEST_CASE("the 64th repeat is as exact as the first", "[time]") {
  // Positions come from beats, never from adding rounded lengths.
  for (const double bpm : {86.0, 104.0, 174.0}) {
    const TempoMap m({{Beats(0), bpm}}, {{}}, Seconds(0), 44100);
    const Beats third(kTicksPerQuarter / 3);
    for (std::int64_t k = 0; k <= 64; ++k)
      CHECK(std::abs(static_cast<double>(m.frameAt(third * k).count) - static_cast<double>(k) * 44100 * 20 / bpm) <=
            0.5 + 1e-6);
  }
}

TEST_CASE("snapping goes to the nearest grid line counted from the bar", "[time]") {
  const TempoMap m({{Beats(0), 120}}, {{Beats(0), 7, 8}}, Seconds(0), 48000); // bars of 3½ quarters
  const Beats half(kTicksPerQuarter * 2);
  CHECK(snapToGrid(Beats::ofQuarters(1.2), half, m) == Beats::ofQuarters(2));
  CHECK(snapToGrid(Beats::ofQuarters(3.3), half, m) == Beats::ofQuarters(3.5)); // the bar line is nearer than 4
  CHECK(snapToGrid(Beats::ofQuarters(-0.4), half, m) == Beats(0));
  CHECK(snapToGrid(Beats::ofQuarters(1.234), Beats(0), m) == Beats::ofQuarters(1.234));
}
