// Halftime: where things are heard, its joins, its band.
#include "ornaments/halftime.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kSong = 48000 * 12;

} // namespace

TEST_CASE("halftime: a click at t in the first part is heard at slower·t, to the frame", "[halftime]") {
  for (const double slower : {1.5, 2.0, 3.0, 4.0}) {
    TestSong t;
    t.song.tempo = {{Beats(0), 120}, {Beats::ofQuarters(8), 97}}; // the tempo changes under the second cycle's end
    const TempoMap map = t.song.tempoMap();
    // A click an eighth of a bar into each of three cycles of a bar from beat 4 on.
    std::vector<std::int64_t> clicks, wanted;
    for (int k = 0; k < 3; ++k) {
      const Frames begin = map.frameAt(Beats::ofQuarters(4 + 4 * k));
      clicks.push_back(begin.count + 9000);
      wanted.push_back(begin.count + std::llround(9000 * slower));
    }
    t.stem("v", kSong, [&](std::int64_t f, int) {
      return std::find(clicks.begin(), clicks.end(), f) != clicks.end() ? 0.9f : 0.0f;
    });
    t.ornament("halftime", "v", 4, 12, {{"slower", slower}});
    const auto plan = t.plan();
    for (const std::int64_t at : wanted) {
      const StereoBuffer row = rowOut(*plan, "v", at - 500, 1000);
      INFO(slower << " at " << at);
      CHECK(std::abs(peakIn(row.left(), 0, 1000).frame - 500) <= 1);
    }
    for (const std::int64_t at : clicks) CHECK(largest(rowOut(*plan, "v", at - 20, 40)) < 1e-3f); // the dry is gone
  }
}

TEST_CASE("halftime: stretched at its pitch, a click is heard to the frame and a tone keeps its pitch",
          "[halftime][slow]") {
  for (const double slower : {1.5, 2.0, 4.0}) {
    TestSong t;
    t.stem("v", kSong, [](std::int64_t f, int) { return f % 96000 == 12000 ? 0.9f : 0.0f; });
    t.stem("s", kSong, sine(500, 48000, 0.4));
    for (const char* row : {"v", "s"}) t.ornament("halftime", row, 4, 12, {{"slower", slower}, {"pitch", "keep"}});
    const auto plan = t.plan();
    for (int k = 0; k < 3; ++k) {
      const std::int64_t wanted = 96000 * (k + 1) + std::llround(12000 * slower);
      const StereoBuffer row = rowOut(*plan, "v", wanted - 3000, 6000);
      INFO(slower << ", cycle " << k);
      const PeakAt p = peakIn(row.left(), 0, 6000);
      CHECK(std::abs(p.frame - 3000) <= 1); // wanted: 2 ms
      CHECK(p.value > 0.88f);
    }
    const StereoBuffer tone = rowOut(*plan, "s", 96000 + 20000, 48000);
    CHECK(toneLevel(tone.left(), 48000, 500, 48000) == Approx(0.4).epsilon(0.02));
  }
}

TEST_CASE("halftime: stretched at its pitch, the first attack of every cycle is on its beat and whole",
          "[halftime][slow]") {
  for (const double slower : {1.5, 2.0, 3.0, 4.0}) {
    TestSong t;
    t.stem("v", kSong, [](std::int64_t f, int) { return f % 96000 == 0 ? 0.9f : 0.0f; });
    t.ornament("halftime", "v", 4, 16, {{"slower", slower}, {"pitch", "keep"}});
    const auto plan = t.plan();
    for (int k = 0; k < 4; ++k) {
      const std::int64_t wanted = 96000 * (k + 1);
      const StereoBuffer row = rowOut(*plan, "v", wanted - 6000, 8000);
      const PeakAt p = peakIn(row.left(), 5000, 8000);
      INFO(slower << ", cycle " << k << ": " << p.frame - 6000 << " " << p.value);
      CHECK(std::abs(p.frame - 6000) <= 1);
      // The span begins with the edge of what comes in; later cycles are in full.
      if (k > 0) CHECK(p.value > 0.88f);
      CHECK(largest(rowOut(*plan, "v", wanted - 6000, 5988)) < 0.0009f * p.value); // nothing of it before: −60 dB
    }
  }
}

TEST_CASE("halftime: over its joins the level stays within half a decibel, of tones and of noise", "[halftime]") {
  for (const bool keep : {false, true})
    for (const double hz : {220.0, 452.0, 1870.0, 0.0}) {
      TestSong t;
      // Eleven seconds; cycles of 0.5 s, at whose ends the tone has any phase.
      t.stem("v", kSong, [&](std::int64_t f, int side) {
        return hz == 0 ? noise(9, 0.2)(f, side) : sine(hz, 48000, 0.3)(f, side);
      });
      t.ornament("halftime", "v", 4, 12,
                 {{"cycle", "1/4"}, {"pitch", keep ? "keep" : "drop"}, {"join_ms", hz == 0 ? 60.0 : 12.0}});
      const auto plan = t.plan();
      // RMS over whole periods as they are heard; of noise over the join, eleven of which are taken together.
      const double period = hz == 0 ? 0 : 48000 / hz * (keep ? 1 : 2);
      const std::int64_t over = hz == 0 ? 2880 : std::llround(std::ceil(300 / period) * period);
      double least = 1e9, most = -1e9, within = 0, beside = 0;
      for (int k = 1; k < 12; ++k) {
        const std::int64_t boundary = 96000 + 24000 * k;
        const StereoBuffer row = rowOut(*plan, "v", boundary - 9600, 19200);
        if (hz == 0) {
          within += std::pow(10, rmsDb(row.left() + 9600 - 2880, 2880) / 10);
          beside += std::pow(10, rmsDb(row.left(), 6000) / 10);
          continue;
        }
        for (std::int64_t i = 0; i + over < 19200; i += 24) {
          const double level = rmsDb(row.left() + i, over);
          least = std::min(least, level);
          most = std::max(most, level);
        }
      }
      INFO((keep ? "keep " : "drop ") << hz << ": " << least << " to " << most << "; "
                                      << 10 * std::log10(within / beside));
      if (hz == 0)
        CHECK(std::abs(10 * std::log10(within / beside)) < 0.5);
      else
        CHECK(most - least < 0.8); // wanted: 1
    }
}

TEST_CASE("halftime: the join lies before a cycle's first frame, and its first attack is whole", "[halftime]") {
  TestSong t;
  // Noise in a cycle's first half only, with a click on the boundary.
  t.stem("v", kSong, [](std::int64_t f, int side) {
    return f == 192000 ? 0.9f : f < 192000 ? noise(3, 0.2)(f, side) : 0.0f;
  });
  t.ornament("halftime", "v", 4, 8, {});
  const auto plan = t.plan();
  const StereoBuffer row = rowOut(*plan, "v", 192000 - 2400, 4800);
  CHECK(row.left()[2400] == Approx(0.9f).margin(1e-4)); // untouched
  // Under the join nothing falls silent: two sounds change places at equal power.
  const double before = rmsDb(row.left() + 2400 - 576 - 600, 600), within = rmsDb(row.left() + 2400 - 576, 540);
  CHECK(within == Approx(before).margin(1.5));
}

TEST_CASE("halftime: mixed by half, both are at half", "[halftime]") {
  TestSong t;
  t.stem("v", kSong, [](std::int64_t f, int) { return f == 96000 + 6000 ? 0.8f : 0.0f; });
  t.ornament("halftime", "v", 4, 4, {{"mix_percent", 50.0}});
  const auto plan = t.plan();
  const StereoBuffer row = rowOut(*plan, "v", 96000, 24000);
  CHECK(row.left()[6000] == Approx(0.4f).margin(1e-4));
  CHECK(row.left()[12000] == Approx(0.4f).margin(1e-4));
}

TEST_CASE("halftime: its edges have no step and no click, with or without fades", "[halftime]") {
  for (const double fade : {0.0, 1.0})
    for (const char* pitch : {"drop", "keep"}) {
      TestSong t;
      t.stem("v", kSong, sine(441, 48000, 0.5));
      t.ornament("halftime", "v", 4, 4, {{"fade_in_beats", fade}, {"fade_out_beats", fade}, {"pitch", pitch}});
      const auto plan = t.plan();
      const double w = 2 * std::numbers::pi * 441 / 48000;
      for (const std::int64_t seam : {96000, 192000}) {
        const StereoBuffer row = rowOut(*plan, "v", seam - 1000, 2000);
        double worst = 0;
        for (std::int64_t i = 0; i + 1 < 2000; ++i)
          worst =
              std::max(worst, std::abs(static_cast<double>(row.left()[i + 1]) - static_cast<double>(row.left()[i])));
        CHECK(worst < 1.6 * 0.5 * w); // two sines at equal power are at most √2 as steep
      }
      CHECK(rowOut(*plan, "v", 192000, 100).left()[0] == fill(192001, sine(441, 48000, 0.5)).left()[192000]);
    }
}

TEST_CASE("halftime: with a band only that is slowed, and nothing slowed is flat within 0.1 dB", "[halftime]") {
  for (const double mix : {0.0, 100.0}) {
    TestSong t;
    t.stem("low", kSong, sine(60, 48000, 0.4));
    t.stem("mid", kSong, sine(1000, 48000, 0.4));
    t.stem("high", kSong, sine(9000, 48000, 0.4));
    for (const char* row : {"low", "mid", "high"})
      t.ornament("halftime", row, 4, 8, {{"low_hz", 250.0}, {"high_hz", 4000.0}, {"mix_percent", mix}});
    const auto plan = t.plan();
    const auto level = [&](const char* row, double hz) {
      const StereoBuffer b = rowOut(*plan, row, 96000 + 12000, 48000);
      return 20 * std::log10(toneLevel(b.left(), 48000, hz, 48000) / 0.4 + 1e-9);
    };
    CHECK(level("low", 60) == Approx(0).margin(0.1));
    CHECK(level("high", 9000) == Approx(0).margin(0.35)); // 23 dB of the band's skirt lies under it
    if (mix == 0) {
      CHECK(level("mid", 1000) == Approx(0).margin(0.1));
      CHECK(level("high", 9000) == Approx(0).margin(0.1));
    } else {
      CHECK(level("mid", 500) == Approx(0).margin(0.5));
      CHECK(level("mid", 1000) < -40);
    }
  }
}

TEST_CASE("halftime: a cycle the stretch engine cannot follow is refused, others of any length are not", "[halftime]") {
  TestSong t;
  t.stem("v", kSong, noise(1, 0.3));
  t.ornament("halftime", "v", 4, 4, {{"cycle", 5.0}, {"pitch", "keep"}});
  t.ornament("halftime", "v", 8, 4, {{"cycle", 5.0}});
  t.ornament("halftime", "v", 12, 4, {{"cycle", "16 bars"}});
  const auto plan = t.plan();
  CHECK(plan->node("o1")->plan.refusal.find("under 20 ms") != std::string::npos);
  CHECK(printOf(*plan, "o2").frames() == 96000);
  CHECK(printOf(*plan, "o3").frames() == 96000);
}
