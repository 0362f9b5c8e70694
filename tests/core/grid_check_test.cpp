#include "analysis/grid_check.h"

#include "audio/chance.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;

namespace {

/// Attacks on every beat of so many bars at this tempo from `start` on, `human` seconds off at the most.
std::vector<Frames> played(double bpm, double start, int beats, double human = 0.004) {
  std::vector<Frames> all;
  Chance draw(7);
  for (int b = 0; b < beats; ++b)
    all.emplace_back(std::llround((start + b * 60 / bpm + 2 * human * (draw.unit() - 0.5)) * 48000));
  return all;
}
TempoMap at(double bpm, double start = 0) {
  return TempoMap({{Beats(0), bpm}}, {{Beats(0), 4, 4}}, Seconds(start), 48000);
}
const FrameRange kTwoMinutes{Frames(0), Frames(120 * 48000)};

} // namespace

TEST_CASE("what is played on the grid is off it by no more than its players", "[grid-check]") {
  const auto row = played(120, 0.5, 230);
  const auto offsets = gridOffsets({&row}, at(120, 0.5), kTwoMinutes);
  REQUIRE(offsets.size() >= 56);
  for (const BarOffset& o : offsets) CHECK(std::abs(o.ms) < 4.1);
  CHECK_FALSE(tempoThatFits(offsets, at(120, 0.5)));
}

TEST_CASE("a place that is late is told, with how much", "[grid-check]") {
  auto row = played(120, 0, 160, 0.001);
  for (std::size_t b = 80; b < 84; ++b) row[b] = row[b] + Frames(48 * 35); // bar 21: 35 ms
  const auto offsets = gridOffsets({&row}, at(120), kTwoMinutes);
  const BarOffset* worst = worstOf(offsets);
  REQUIRE(worst);
  CHECK(worst->bar == 21);
  CHECK(worst->ms == Approx(35).margin(1.1));
}

TEST_CASE("a grid that runs away is followed beyond a beat, and the tempo that fits is told", "[grid-check]") {
  for (const double is : {120.4, 119.5, 121.0, 120.5}) { // the last one by a beat in all
    INFO(is);
    const auto row = played(is, 0, 240);
    const auto offsets = gridOffsets({&row}, at(120), kTwoMinutes);
    REQUIRE(offsets.size() > 50);
    const double end = (60 / is - 60 / 120.0) * 4 * static_cast<double>(offsets.back().bar - 1) * 1e3;
    CHECK(offsets.front().ms == Approx(0).margin(12));
    CHECK(offsets.back().ms == Approx(end).margin(12));
    const auto fits = tempoThatFits(offsets, at(120));
    REQUIRE(fits);
    CHECK(*fits == Approx(is).margin(0.02));
  }
}

TEST_CASE("off beats and swing are no error of the grid", "[grid-check]") {
  auto row = played(100, 0, 180, 0.002);
  const auto on = row;
  for (const Frames& f : on) row.push_back(f + Frames(std::llround(0.6 * 48000 * 0.66)));
  std::sort(row.begin(), row.end());
  for (const BarOffset& o : gridOffsets({&row}, at(100), kTwoMinutes)) CHECK(std::abs(o.ms) < 2.1);
}

TEST_CASE("where nothing is struck nothing is told", "[grid-check]") {
  const std::vector<Frames> none;
  CHECK(gridOffsets({&none}, at(120), kTwoMinutes).empty());
  CHECK(gridOffsets({}, at(120), {Frames(0), Frames(0)}).empty());
  CHECK(worstOf({}) == nullptr);
}
