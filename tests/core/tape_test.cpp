// Tape: its pitch law, its seams, where it reads and how long it takes.
#include "dsp/dynamics/edges.h"
#include "dsp/filter/rumble_cut.h"
#include "ornaments/tape.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// The speed as the song file's contract has it, at u of the span.
double law(const std::string& shape, double bend, double lowest, double bottom, double u) {
  const auto p = [&](double t) { return bendProgress(bend, t); };
  if (shape == "stop") return 1 + (lowest - 1) * p(u);
  if (shape == "start") return 1 + (lowest - 1) * p(1 - u);
  if (shape == "dip") return 1 + (lowest - 1) * (u < bottom ? p(u / bottom) : p(1 - (u - bottom) / (1 - bottom)));
  return u < bottom ? 1 - p(u / bottom) : -2 * p((u - bottom) / (1 - bottom));
}

/// Frames (with their fraction) at which the sound goes up through zero.
std::vector<double> risings(const float* x, std::int64_t n) {
  std::vector<double> at;
  for (std::int64_t i = 0; i + 1 < n; ++i)
    if (x[i] < 0 && x[i + 1] >= 0)
      at.push_back(static_cast<double>(i) +
                   static_cast<double>(-x[i]) / (static_cast<double>(x[i + 1]) - static_cast<double>(x[i])));
  return at;
}

constexpr std::int64_t kSong = 48000 * 8;
double sineAt(double frame) {
  return 0.5 * std::sin(2 * std::numbers::pi * 441 / 48000 * frame);
}
Signal sine441() {
  return [](std::int64_t f, int) { return static_cast<float>(sineAt(static_cast<double>(f))); };
}

} // namespace

TEST_CASE("tape: a sine comes out at its frequency times the speed, within 0.1 %", "[tape]") {
  for (const char* shape : {"stop", "start", "dip", "spin-back"})
    for (const double bend : {-0.5, 0.0, 0.5})
      for (const double lowest : {0.0, 0.4}) {
        TestSong t;
        t.stem("v", kSong, sine(4410, 48000, 0.5)); // high enough for what the cut under 20 Hz delays
        t.ornament("tape", "v", 4, 4, {{"shape", shape}, {"bend", bend}, {"lowest", lowest}, {"fade", 0.0}});
        const auto plan = t.plan();
        const StereoBuffer p = printOf(*plan, "o1");
        REQUIRE(p.frames() == 96000);
        const auto cross = risings(p.left(), p.frames());
        int checked = 0;
        for (std::size_t i = 0; i + 16 < cross.size(); i += 16) {
          const double from = cross[i] / 96000, to = cross[i + 16] / 96000;
          if (std::string(shape) == "dip" && from < 0.65 && to > 0.58)
            continue; // both heads are heard, and ring a little
          double mean = 0, least = 9;
          for (int k = 0; k < 400; ++k) {
            const double v = std::abs(law(shape, bend, lowest, 0.6, from + (to - from) * (k + 0.5) / 400));
            mean += v / 400;
            least = std::min(least, v);
          }
          if (least < 0.05 || to > 0.95 || from < 0.005) continue;
          const double hz = 16 * 48000 / (cross[i + 16] - cross[i]);
          INFO(shape << " bend " << bend << " lowest " << lowest << " at " << from);
          REQUIRE(hz == Approx(4410 * mean).epsilon(0.001));
          ++checked;
        }
        CHECK(checked > 50);
      }
}

TEST_CASE("tape: a stop leaves the row, and a start and a dip come back, without a step", "[tape]") {
  for (const char* shape : {"stop", "start", "dip"})
    for (const double length : {0.25, 1.0, 16.0}) { // a sixteenth to four bars
      TestSong t;
      t.stem("v", 48000 * 14, sine441());
      t.ornament("tape", "v", 4, length, {{"shape", shape}});
      const auto plan = t.plan();
      const FrameRange span = plan->map().frames({Beats::ofQuarters(4), Beats::ofQuarters(4 + length)});
      const bool leaves = std::string(shape) != "start", arrives = std::string(shape) != "stop";
      const auto check = [&](Frames seam) {
        const StereoBuffer row = rowOut(*plan, "v", seam.count - 200, 400);
        // A sine of 441 Hz and 0.5 bends by at most ω² per frame; a step of a thousandth would show.
        const double w = 2 * std::numbers::pi * 441 / 48000;
        double worst = 0;
        for (std::int64_t i = 1; i + 1 < 400; ++i)
          worst = std::max(worst, std::abs(static_cast<double>(row.left()[i + 1]) - 2.0 * row.left()[i] +
                                           static_cast<double>(row.left()[i - 1])));
        INFO(shape << " over " << length << " at " << seam.count);
        CHECK(worst < 1.1 * 0.5 * w * w);
      };
      if (leaves) check(span.begin);
      if (arrives) check(span.end);
      if (arrives) { // in phase to the sample: the last frames lie on the row's own sine, less than 0.02 frames off
        const StereoBuffer row = rowOut(*plan, "v", span.end.count - 3, 3);
        const double step = 0.5 * 2 * std::numbers::pi * 441 / 48000;
        for (std::int64_t i = 0; i < 3; ++i)
          CHECK(std::abs(static_cast<double>(row.left()[i]) - sineAt(static_cast<double>(span.end.count - 3 + i))) <
                0.02 * step + 0.01);
      }
      // Outside, and on the first frame after, the row is itself.
      const StereoBuffer after = rowOut(*plan, "v", span.end.count, 100);
      for (std::int64_t i = 0; i < 100; ++i)
        REQUIRE(after.left()[i] == static_cast<float>(sineAt(static_cast<double>(span.end.count + i))));
    }
}

TEST_CASE("tape: a start reads the row's last frame of the span on its last frame", "[tape]") {
  for (const double length : {0.5, 3.0}) {
    TestSong t;
    t.stem("v", kSong, silence());
    Ornament o = t.ornament("tape", "v", 4, length, {{"shape", "start"}});
    const TempoMap map = t.song.tempoMap();
    const TapeMotion m = tapeMotion({o, {map}});
    CHECK(m.positionAt(1) == static_cast<double>(map.frameAt(o.span().end).count));
    o.settings["fit"] = "extend";
    o.settings["bend"] = 0.0;
    const TapeMotion e = tapeMotion({o, {map}});
    CHECK(e.positionAt(1) == static_cast<double>(map.frameAt(o.span().end).count));
    // A straight one takes twice the span and begins that much earlier, reading the whole source.
    CHECK(e.frames.length() == 2 * m.frames.length());
    CHECK(e.frames.end == m.frames.end);
    CHECK(e.positionAt(0) == Approx(static_cast<double>(map.frameAt(o.start).count)).margin(1e-6));
  }
}

TEST_CASE("tape: extended, a straight stop takes twice the span and plays all of its source", "[tape]") {
  TestSong t;
  // A click a hundredth before the source's end.
  t.stem("v", kSong, impulseAt(48000 + 47520));
  t.ornament("tape", "v", 2, 2, {{"fit", "extend"}, {"bend", 0.0}, {"fade", 0.0}});
  const auto plan = t.plan();
  const StereoBuffer p = printOf(*plan, "o1");
  CHECK(p.frames() == 96000);
  CHECK(plan->node("o1")->extent() == FrameRange{Frames(48000), Frames(48000 + 96000)});
  // Heard where ∫(1 − u) = u − u²/2 has come to 0.99/2 of the print: u = 1 − √0.01.
  const PeakAt click = peakIn(p.left(), 0, p.frames());
  CHECK(std::abs(static_cast<double>(click.frame) - 96000 * 0.9) <= 2);
  // The row comes back on the frame after.
  const StereoBuffer row = rowOut(*plan, "v", 48000, 96000);
  CHECK(std::abs(row.left()[47520]) < 1e-6f); // the dry click is gone
}

TEST_CASE("tape: what cannot be extended says so and leaves the row alone", "[tape]") {
  TestSong t;
  t.stem("v", kSong, noise(2, 0.3));
  t.ornament("tape", "v", 2, 2, {{"shape", "custom"}, {"speed", 0.03}, {"fit", "extend"}});
  const auto plan = t.plan();
  CHECK(plan->node("o1")->plan.refusal.find("mean speed is under 0.05") != std::string::npos);
  const StereoBuffer row = rowOut(*plan, "v", 0, kSong), dry = fill(kSong, noise(2, 0.3));
  CHECK(row == dry);
}

TEST_CASE("tape: a spin-back plays what was just heard backwards, twice as fast at its end", "[tape]") {
  TestSong t;
  // Two clicks; forwards one after the other, backwards the other way round.
  t.stem("v", kSong, [](std::int64_t f, int) { return f == 96000 + 9600 ? 0.5f : f == 96000 + 14400 ? 0.9f : 0.0f; });
  t.ornament("tape", "v", 4, 4, {{"shape", "spin-back"}, {"bend", 0.0}, {"bottom_at", 0.5}, {"fade", 0.0}});
  const StereoBuffer p = printOf(*t.plan(), "o1");
  // v = 1 − 2u: position u − u²; after the turn at 0.5 it is 1/4 − 2·(u−1/2)²·… = 1/4 − 2(u − 1/2)².
  const auto forward = [](double source) { return 0.5 - std::sqrt(0.25 - source); };
  const auto backward = [](double source) { return 0.5 + std::sqrt((0.25 - source) / 2); };
  const double a = 9600.0 / 96000, b = 14400.0 / 96000;
  for (const double u : {forward(a), forward(b), backward(b), backward(a)}) {
    const auto wanted = static_cast<std::int64_t>(std::llround(96000 * u));
    const PeakAt click = peakIn(p.left(), wanted - 400, wanted + 400);
    CHECK(std::abs(click.frame - wanted) <= 1);
  }
}

TEST_CASE("tape: the level follows the speed as far as it is told, and standing still is silent", "[tape]") {
  for (const double fade : {0.0, 50.0, 100.0}) {
    TestSong t;
    t.stem("v", kSong, sine(2205, 48000, 0.5));
    t.ornament("tape", "v", 4, 4, {{"bend", 0.0}, {"fade", fade}});
    const StereoBuffer p = printOf(*t.plan(), "o1");
    for (const double u : {0.1, 0.5, 0.9}) {
      const auto at = static_cast<std::int64_t>(96000 * u);
      const std::int64_t n = std::llround(8 * 48000 / (2205 * (1 - u))); // eight turns
      const double level = std::sqrt(2.0) * Decibels(rmsDb(p.left() + at - n / 2, n)).gain();
      CHECK(level == Approx(0.5 * (1 - fade / 100 * u)).margin(4e-3));
    }
    CHECK(std::abs(p.left()[95990]) < 1e-3f); // no direct current is left standing
  }
}

TEST_CASE("tape: nothing under 20 Hz is left, however it moves", "[tape][heavy]") {
  // Bass at full scale, which sinks under hearing.
  const Signal bass = [](std::int64_t f, int) {
    const double t = 2 * std::numbers::pi * static_cast<double>(f) / 48000;
    return static_cast<float>(0.5 * std::sin(55 * t) + 0.3 * std::sin(82.4 * t) + 0.15 * std::sin(196 * t));
  };
  for (const char* shape : {"stop", "start", "dip", "spin-back"})
    for (const double bend : {-0.5, 0.0, 0.6})
      for (const double fade : {0.0, 40.0}) {
        TestSong t;
        t.stem("v", kSong, bass);
        t.ornament("tape", "v", 4, 8, {{"shape", shape}, {"bend", bend}, {"fade", fade}});
        const auto plan = t.plan();
        // With the row before and after, where it goes over into it; what is switched on or off has a step of its own.
        constexpr std::int64_t kBegin = 96000, kEnd = kBegin + 4 * 48000, kAround = 48000;
        StereoBuffer x = rowOut(*plan, "v", kBegin - kAround, kEnd + kAround - (kBegin - kAround));
        const bool leaves = std::string(shape) != "start",
                   arrives = std::string(shape) == "start" || std::string(shape) == "dip";
        const auto ramp = [](double u) { return static_cast<float>(raisedCosine(std::clamp(u, 0.0, 1.0))); };
        for (std::int64_t i = 0; i < x.frames(); ++i) {
          const auto f = static_cast<double>(i), last = static_cast<double>(x.frames());
          x.left()[i] *= leaves ? ramp(f / 40000) : ramp((f - kAround) / 4000);
          x.left()[i] *= arrives ? ramp((last - f) / 40000) : ramp((last - kAround - 500 - f) / 20000);
        }
        const auto under = exactBand(x.left(), x.frames(), 4.5, 4.2, 48000); // 1 to 19.3 Hz
        double worst = 0;
        for (const double v : under) worst = std::max(worst, std::abs(v));
        INFO(shape << ", bend " << bend << ", fade " << fade << ": " << 20 * std::log10(worst) << " dBFS");
        CHECK(20 * std::log10(worst) < -40);
        CHECK(rmsDb(x.left() + kAround + (leaves ? 4800 : 3 * 48000), 24000) > -12); // the rest is there
      }
}

TEST_CASE("what is cut under 20 Hz can be begun anywhere, to the bit", "[tape]") {
  const StereoBuffer in = fill(200000, noise(4, 0.5));
  std::vector<float> weight(200000);
  for (std::size_t i = 0; i < weight.size(); ++i) weight[i] = static_cast<float>(i % 90000) / 90000;
  StereoBuffer whole = in;
  RumbleCut a(48000);
  a.process(whole.span(), weight.data());
  for (const std::int64_t at : {1, 23999, 24000, 60000, 96000, 131072}) {
    RumbleCut b(48000);
    const std::int64_t from = b.neededFrom(at);
    CHECK(at - from <= 48000);
    StereoBuffer part = in;
    b.goTo(from);
    for (std::int64_t f = from, n = 1; f < 200000; f += n, n = n * 7 % 1021 + 1)
      b.process(part.span().part(f, n = std::min<std::int64_t>(n, 200000 - f)), weight.data() + f);
    INFO("from " << at);
    CHECK(std::equal(whole.left() + at, whole.left() + 200000, part.left() + at));
  }
  StereoBuffer untouched = in;
  std::fill(weight.begin(), weight.end(), 0.0f);
  RumbleCut(48000).process(untouched.span(), weight.data());
  CHECK(untouched == in);
}

TEST_CASE("tape: halted before the span's end it gives the row back, or keeps it silent", "[tape]") {
  for (const bool hold : {false, true}) {
    TestSong t;
    t.stem("v", kSong, noise(4, 0.3));
    t.ornament("tape", "v", 4, 4, {{"halt_at", 0.5}, {"hold_silence", hold}});
    const auto plan = t.plan();
    CHECK(printOf(*plan, "o1").frames() == 48000);
    const StereoBuffer row = rowOut(*plan, "v", 96000 + 48000, 48000);
    if (hold)
      CHECK(rmsDb(row.left(), 40000) < -200);
    else
      CHECK(rmsDb(row.left(), 40000) == Approx(-15.2).margin(0.5));
    const StereoBuffer after = rowOut(*plan, "v", 96000 + 96000, 4800);
    CHECK(after == [] {
      StereoBuffer all = fill(192000 + 4800, noise(4, 0.3)), part(4800);
      std::copy_n(all.left() + 192000, 4800, part.left());
      std::copy_n(all.right() + 192000, 4800, part.right());
      return part;
    }());
  }
}

TEST_CASE("tape: on the first beat, before it and past the song's end", "[tape]") {
  TestSong t;
  t.stem("v", 96000, sine441());
  t.ornament("tape", "v", 0, 1, {{"shape", "start"}});
  t.ornament("tape", "v", 3, 4, {});                                                      // two beats past the end
  t.ornament("tape", "v", 1, 1, {{"shape", "start"}, {"fit", "extend"}, {"bend", -0.8}}); // begins before the song
  const auto plan = t.plan();
  CHECK(plan->node("o1")->extent().begin == Frames(0));
  const StereoBuffer first = rowOut(*plan, "v", 0, 24000);
  CHECK(largest(first) > 0.15f);
  CHECK(plan->node("o2")->extent().end == Frames(168000));
  const StereoBuffer stop = printOf(*plan, "o2");
  CHECK(stop.frames() == 96000);
  CHECK(rmsDb(stop.left(), 12000) > -15);
  CHECK(plan->node("o3")->extent().begin < Frames(0));
  CHECK(plan->node("o3")->extent().end == Frames(48000));
}

TEST_CASE("tape: buses and the mix stop whole, with the tails of what feeds them", "[tape]") {
  TestSong t;
  t.stem("a", kSong, noise(1, 0.2));
  t.stem("b", kSong, noise(2, 0.2));
  t.song.buses.push_back({"g", "G", {}});
  t.song.stems[0].bus = "g";
  t.ornament("tape", "g", 4, 2, {});
  t.ornament("tape", "mix", 8, 2, {});
  const auto plan = t.plan();
  const auto level = [&](const std::string& row, double beat) {
    const std::int64_t at = plan->map().frameAt(Beats::ofQuarters(beat)).count;
    const StereoBuffer b = row == "mix" ? mixOut(*plan, at, 1000) : rowOut(*plan, row, at, 1000);
    return rmsDb(b.left(), 1000);
  };
  CHECK(level("g", 4.0) == Approx(level("g", 2)).margin(0.7));
  CHECK(level("g", 5.95) < level("g", 2) - 12);
  CHECK(level("mix", 9.95) < level("mix", 2) - 12);
  CHECK(level("mix", 5.95) == Approx(level("b", 2)).margin(1)); // only the bus has stopped there
}

TEST_CASE("tape: with time locked a click stays where it was and the pitch glides down", "[tape]") {
  for (const double lowest : {-12.0, -24.0, 7.0}) {
    TestSong t;
    t.stem("v", kSong, sine(880, 48000, 0.3));
    const Settings settings{{"pitch_lock", true}, {"bend", 0.0}, {"fade", 0.0}, {"lowest_semitones", lowest}};
    t.ornament("tape", "v", 4, 4, settings);
    std::vector<std::string> clicks;
    for (const std::int64_t at : {12000, 36000, 60000, 84000}) {
      const std::string id = "c" + std::to_string(at);
      t.stem(id, kSong, impulseAt(96000 + at, 0.9f));
      t.ornament("tape", id, 4, 4, settings);
    }
    const auto plan = t.plan();
    const StereoBuffer p = printOf(*plan, "o1");
    CHECK(p.frames() == 96000);
    const auto cross = risings(p.left(), p.frames());
    int checked = 0;
    for (std::size_t i = 0; i + 20 < cross.size(); i += 20) {
      const double mid = (cross[i] + cross[i + 20]) / 2 / 96000;
      if (mid < 0.08 || mid > 0.95) continue;
      const double hz = 20 * 48000 / (cross[i + 20] - cross[i]);
      INFO(lowest << " at " << mid);
      CHECK(12 * std::log2(hz / 880) == Approx(lowest * mid).margin(0.1)); // a tenth of a semitone
      ++checked;
    }
    CHECK(checked > 15);
    int k = 2;
    for (const std::int64_t at : {12000, 36000, 60000, 84000}) {
      const StereoBuffer c = printOf(*plan, "o" + std::to_string(k++));
      INFO(lowest << ": " << peakIn(c.left(), 0, c.frames()).frame << " for " << at);
      CHECK(std::abs(peakIn(c.left(), 0, c.frames()).frame - at) <= 3); // wanted: 2 ms
    }
  }
}

TEST_CASE("tape: sound from elsewhere is run up to its own end", "[tape]") {
  TestSong t;
  t.stem("v", kSong, silence());
  t.stem("w", kSong, impulseAt(192000 + 12000 - 480)); // a hundredth of a second before the piece's end
  Ornament& o = t.ornament("tape", "v", 4, 2, {{"shape", "start"}, {"bend", 0.0}, {"fade", 0.0}});
  o.source = {{"w", Beats::ofQuarters(8), Beats::ofQuarters(0.5), 0}};
  const StereoBuffer p = printOf(*t.plan(), "o1");
  CHECK(p.frames() == 48000);
  // v = u: what lies 480 frames before the end is passed where N(1 − u²)/2 = 480.
  const auto wanted = static_cast<std::int64_t>(std::llround(48000 * std::sqrt(1 - 960.0 / 48000)));
  CHECK(std::abs(peakIn(p.left(), 0, p.frames()).frame - wanted) <= 2);
}
