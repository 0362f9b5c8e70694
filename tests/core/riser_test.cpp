// What rises, by the figures: colour and level climb without falling back, and it ends on the landing frame.
#include "ornaments/riser.h"

#include "dsp/measure/fourier.h"
#include "dsp/measure/loudness.h"
#include "dsp/tones/steady_noise.h"
#include "dsp/tones/wave_table.h"
#include "manners/first_press.h"
#include "render/facts.h"
#include "song/scale.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;

/// Amplitude-weighted centroid of a stretch, both sides: 4096-point Welch, Hann, half overlapped. Hz.
double centroid(const StereoBuffer& b, std::int64_t from, std::int64_t frames) {
  constexpr std::int64_t kSize = 4096;
  const auto transform = RealFourier::ofSize(kSize);
  const auto samples = transform->samples();
  const auto bins = transform->spectrum();
  std::vector<double> power(static_cast<std::size_t>(transform->bins()));
  for (std::int64_t at = from; at + kSize <= from + frames; at += kSize / 2)
    for (const float* side : {b.left(), b.right()}) {
      for (std::int64_t i = 0; i < kSize; ++i)
        samples[i] = side[at + i] *
                     static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / kSize));
      transform->forward(samples.get(), bins.get());
      for (std::size_t k = 0; k < power.size(); ++k) power[k] += std::norm(std::complex<double>(bins[k]));
    }
  double sum = 0, weighted = 0;
  for (std::size_t k = 1; k < power.size(); ++k) {
    sum += std::sqrt(power[k]);
    weighted += std::sqrt(power[k]) * static_cast<double>(k) * kRate / kSize;
  }
  return weighted / sum;
}

double levelDb(const StereoBuffer& b, std::int64_t from, std::int64_t frames) {
  double power = 1e-30;
  for (std::int64_t i = from; i < from + frames; ++i)
    power += 0.5 * (static_cast<double>(b.left()[i]) * b.left()[i] + static_cast<double>(b.right()[i]) * b.right()[i]);
  return 10 * std::log10(power / static_cast<double>(frames));
}

struct Fallen {
  double colour = 0; // share of the running maximum
  double level = 0;  // dB
};
/// How far colour and level ever fall below what they had reached, in windows over `length` frames from `from`; from
/// the end back where it falls.
Fallen fallen(const StereoBuffer& b, std::int64_t from, std::int64_t length, std::int64_t window, bool down) {
  Fallen worst;
  double brightest = 0, loudest = -200;
  const std::int64_t n = length / window;
  for (std::int64_t i = 0; i < n; ++i) {
    const std::int64_t at = down ? from + length - (i + 1) * window : from + i * window;
    const double c = centroid(b, at, window), l = levelDb(b, at, window);
    worst.colour = std::max(worst.colour, (brightest - c) / std::max(1.0, brightest));
    worst.level = std::max(worst.level, loudest - l);
    brightest = std::max(brightest, c);
    loudest = std::max(loudest, l);
  }
  return worst;
}

/// A steady tone with many partials, 150 Hz: 320 frames go round.
Signal steady() {
  std::vector<float> round(640);
  for (int i = 0; i < 640; ++i) {
    double v = 0;
    for (int k = 1; k <= 30; ++k)
      v += std::sin(2 * std::numbers::pi * k * (i % 320) / 320.0 + 0.1 * k * k + (i < 320 ? 0 : k)) / k;
    round[static_cast<std::size_t>(i)] = static_cast<float>(0.15 * v);
  }
  return [round](std::int64_t f, int side) { return round[static_cast<std::size_t>(f % 320 + 320 * side)]; };
}

} // namespace

TEST_CASE("steady noise has the same colour and level in every quarter of a second, and its sides nothing in common",
          "[riser]") {
  for (const double rate : {8000.0, 44100.0, 48000.0}) {
    INFO(rate);
    const auto noise = steadyNoise(rate);
    REQUIRE(static_cast<double>(noise->frames()) >= 5 * rate);
    double lr = 0, l = 0, r = 0;
    for (std::int64_t i = 0; i < noise->frames(); ++i) {
      lr += static_cast<double>(noise->left()[i]) * noise->right()[i];
      l += static_cast<double>(noise->left()[i]) * noise->left()[i];
      r += static_cast<double>(noise->right()[i]) * noise->right()[i];
    }
    CHECK(std::abs(lr / std::sqrt(l * r)) < 0.02);
    CHECK(l / static_cast<double>(noise->frames()) == Approx(1).margin(1e-3));
    const auto window = static_cast<std::int64_t>(rate / 4);
    double low = 1e9, high = -1e9;
    for (std::int64_t at = 0; at + window <= noise->frames(); at += window / 2) {
      const double db = levelDb(*noise, at, window);
      low = std::min(low, db);
      high = std::max(high, db);
    }
    CHECK(high - low < 0.5);
  }
}

TEST_CASE("whatever rises, its colour and level never fall back, and it ends on the landing frame", "[riser][heavy]") {
  for (const double bpm : {80.0, 104.0, 174.0})
    for (const char* of : {"noise", "tone", "stem"})
      for (const char* plays : {"stretched", "looped", "reversed"}) {
        if (plays != std::string("stretched") && (of != std::string("stem") || bpm != 104)) continue;
        for (const char* direction : {"up", "down"}) {
          INFO(bpm << " " << of << " " << plays << " " << direction);
          TestSong t(kRate, bpm);
          if (of == std::string("stem"))
            t.stem("v", 30 * kRate, steady());
          else
            t.stem("v", kRate, silence());
          t.ornament("riser", "v", 16, 16,
                     {{"of", of}, {"stem_plays", plays}, {"direction", direction}, {"stem_loop", "1/1"}});
          const auto plan = t.plan();
          const TempoMap& map = plan->map();
          const std::int64_t begin = map.frameAt(Beats::ofQuarters(16)).count,
                             end = map.frameAt(Beats::ofQuarters(32)).count;
          const StereoBuffer print = printOf(*plan, "o1");
          const std::int64_t from = begin - plan->node("o1")->plan.extent.begin.count;
          const bool down = direction == std::string("down");
          // A tone, and what is made of a stem's partials, in windows of a second.
          const std::int64_t window = of == std::string("noise") ? kRate / 4 : kRate;
          const Fallen worst = fallen(print, from, end - begin, window, down);
          CHECK(worst.colour <= 0.05);
          CHECK(worst.level <= 0.5);
          // Full up to its landing; nothing 5 ms later.
          const std::int64_t landing = from + end - begin;
          if (!down) {
            CHECK(print.frames() == landing + 240);
            CHECK(levelDb(print, landing - 480, 480) > levelDb(print, landing - kRate / 2, kRate / 4) - 3);
            CHECK(levelDb(print, landing + 235, 5) < levelDb(print, landing - 480, 480) - 40);
          } else {
            CHECK(print.frames() == landing);
            CHECK(levelDb(print, from + 96, 480) > levelDb(print, from + kRate / 2, kRate / 4) - 3);
          }
        }
      }
}

TEST_CASE("level is what was set, at both ends, whatever opens or narrows it", "[riser]") {
  for (const double resonance : {0.0, 60.0}) {
    TestSong t(kRate, 120);
    t.stem("v", kRate, silence());
    t.ornament("riser", "v", 0, 16,
               {{"level_db", List{-30.0, -12.0}}, {"bend", 0.0}, {"resonance_percent", resonance}});
    const StereoBuffer print = printOf(*t.plan(), "o1");
    // Over a quarter of a second at each end the level goes on by 18·0.25/8 dB; a sine at 0 has RMS −3.
    CHECK(levelDb(print, 480, 12000) == Approx(-33 + 0.28).margin(1.2));
    CHECK(levelDb(print, 8 * kRate - 12000, 12000) == Approx(-15 - 0.28).margin(1.2));
  }
}

TEST_CASE("a trembling riser has its periods on the grid, doubles them and lands with a whole one", "[riser]") {
  for (const double bpm : {80.0, 104.0, 174.0}) {
    TestSong t(kRate, bpm);
    t.stem("v", kRate, silence());
    t.ornament("riser", "v", 8, 16, {{"tremolo", List{"1/4", "1/32"}}});
    const auto plan = t.plan();
    const RiserShape shape({*plan->ornament("o1"), plan->context()});
    // A bar in each of four values: 4 + 8 + 16 + 32 periods.
    REQUIRE(shape.borders().size() == 61);
    CHECK(shape.borders().front() == plan->map().frameAt(Beats::ofQuarters(8)));
    CHECK(shape.borders().back() == shape.landing);
    for (int k = 0; k <= 4; ++k)
      CHECK(shape.borders()[static_cast<std::size_t>(k)] == plan->map().frameAt(Beats::ofQuarters(8 + k)));
    CHECK(shape.borders()[60 - 1] == plan->map().frameAt(Beats::ofQuarters(24 - 0.125)));
    // It is loud at the landing and soft half a period before.
    const StereoBuffer print = printOf(*plan, "o1");
    const std::int64_t landing = (shape.landing - plan->node("o1")->plan.extent.begin).count;
    const std::int64_t half = (shape.borders()[60] - shape.borders()[59]).count / 2;
    CHECK(levelDb(print, landing - 200, 200) > levelDb(print, landing - half - 100, 200) + 10);
  }
}

TEST_CASE("a tone keeps to the key, climbs from note to note and has no aliases", "[riser]") {
  CHECK(nearestInKey(61, {0, false}) == 60);
  CHECK(nearestInKey(66.4, {2, false}) == 66);
  CHECK(nearestInKey(58, {2, true}) == 58);
  CHECK(nearestInKey(127, {0, false}) == 127);
  TestSong t(kRate, 60);
  t.song.key = Key{2, true}; // D minor
  t.stem("v", kRate, silence());
  t.ornament("riser", "v", 0, 8,
             {{"of", "tone"},
              {"pitch_semitones", List{6.0, 6.0}},
              {"cutoff_hz", List{20000.0, 20000.0}},
              {"level_db", List{-6.0, -6.0}},
              {"width_percent", List{0.0, 0.0}},
              {"resonance_percent", 0.0}});
  const StereoBuffer print = printOf(*t.plan(), "o1");
  // A3 and six semitones are E♭4, which is no note of D minor: D4 or E4, the lower of two as near. 293.66 Hz.
  const double hz = 440 * std::exp2((62 - 69) / 12.0);
  const float* x = print.left() + kRate;
  CHECK(toneLevel(x, 4 * kRate, hz, kRate) > 0.2);
  // What is no harmonic: under a window whose sides lie 92 dB down (Blackman and Harris).
  constexpr std::int64_t kSize = 1 << 17;
  const auto transform = RealFourier::ofSize(kSize);
  const auto samples = transform->samples();
  const auto bins = transform->spectrum();
  for (std::int64_t i = 0; i < kSize; ++i) {
    const double w = 2 * std::numbers::pi * static_cast<double>(i) / kSize;
    samples[i] = x[i] * static_cast<float>(0.35875 - 0.48829 * std::cos(w) + 0.14128 * std::cos(2 * w) -
                                           0.01168 * std::cos(3 * w));
  }
  transform->forward(samples.get(), bins.get());
  double all = 0, other = 0;
  for (std::int64_t k = 60; k < transform->bins(); ++k) {
    const double power = std::norm(std::complex<double>(bins[k])), at = static_cast<double>(k) * kRate / kSize / hz;
    all += power;
    if (std::abs(at - std::round(at)) * hz > 6.0 * kRate / kSize) other += power;
  }
  CHECK(10 * std::log10(other / all) < -75);
}

TEST_CASE("an impact stands on the landing with its peak as set, and a hit before it ends there", "[riser]") {
  for (const char* character : {"deep", "bright", "metallic"}) {
    INFO(character);
    TestSong t(kRate, 120);
    t.song.key = Key{2, true};
    t.stem("v", kRate, silence());
    t.ornament("riser", "v", 4, 8, {{"level_db", List{-96.0, -96.0}}, {"hit_db", -6.0}, {"hit_character", character}});
    const auto plan = t.plan();
    const std::int64_t landing = 6 * kRate - plan->node("o1")->plan.extent.begin.count;
    const StereoBuffer print = printOf(*plan, "o1");
    CHECK(largest(print) == Approx(std::pow(10, -0.3)).epsilon(0.001));
    CHECK(peakIn(print.left(), 0, landing).value < 0.001f);
    CHECK(levelDb(print, landing, 2400) > levelDb(print, landing + kRate, 2400) + 6);
    CHECK(levelDb(print, print.frames() - 2400, 2400) < -70);
    t.ornaments[0].settings = {
        {"level_db", List{-96.0, -12.0}}, {"bend", 1.0}, {"reversed_hit", true}, {"reversed_character", character}};
    const StereoBuffer with = printOf(*t.plan(), "o1");
    t.ornaments[0].settings.erase("reversed_hit");
    const StereoBuffer without = printOf(*t.plan(), "o1");
    StereoBuffer hit = with;
    for (std::int64_t i = 0; i < hit.frames(); ++i) {
      hit.left()[i] -= without.left()[i];
      hit.right()[i] -= without.right()[i];
    }
    CHECK(with.frames() == without.frames());
    CHECK(levelDb(hit, landing - 4800, 4800) > levelDb(hit, landing - kRate, 4800) + 6);
    CHECK(peakIn(hit.left(), landing, with.frames()).value < 1e-6f);
  }
  // Three characters, told apart by where they are loud.
  std::vector<double> colours;
  for (const Impact one : {Impact::deep, Impact::metallic, Impact::bright})
    colours.push_back(centroid(*impactSound(one, 2, kRate), 0, kRate));
  CHECK(colours[0] * 2 < colours[1]);
  CHECK(colours[1] * 1.3 < colours[2]);
}

TEST_CASE("blocks of a riser are the same in any order, through tempo and meter, at odd rates", "[riser]") {
  for (const int rate : {8000, 44100, 192000})
    for (const char* of : {"noise", "tone", "stem"}) {
      INFO(rate << " " << of);
      const auto make = [&](TestSong& t) {
        t.stem("v", 12 * rate, noise(5, 0.5));
        t.song.tempo = {{Beats(0), 20}, {Beats::ofQuarters(1), 400}, {Beats::ofQuarters(5.5), 90}};
        t.song.meter = {{Beats(0), 5, 4}};
        t.ornament("riser", "v", -0.5, 14,
                   {{"of", of},
                    {"stem_plays", "reversed"},
                    {"tremolo", List{"1/8", "1/16"}},
                    {"hit_db", -12.0},
                    {"resonance_percent", 70.0}});
      };
      TestSong t(rate, 20), again(rate, 20);
      make(t);
      make(again);
      const auto plan = t.plan();
      const auto node = plan->node("o1");
      REQUIRE(node->plan.anyOrder);
      REQUIRE(node->print->ensure(*plan, *node, {Frames(5 * rate), Frames(5 * rate + 1000)}));
      CHECK(printOf(*plan, "o1") == printOf(*again.plan(), "o1"));
    }
}

TEST_CASE("a tail dies away after the landing, and only where one is asked for", "[riser]") {
  TestSong t(kRate, 120);
  t.stem("v", kRate, silence());
  t.ornament("riser", "v", 4, 4, {{"tail_beats", 2.0}});
  const auto plan = t.plan();
  const StereoBuffer print = printOf(*plan, "o1");
  const std::int64_t landing = 4 * kRate - plan->node("o1")->plan.extent.begin.count;
  CHECK(print.frames() == landing + kRate + 240);
  CHECK(levelDb(print, landing, 2400) > levelDb(print, landing - 2400, 2400) - 3);
  // Half of the way down, 30 dB.
  CHECK(levelDb(print, landing + kRate / 2 - 1200, 2400) ==
        Approx(levelDb(print, landing - 2400, 2400) - 30).margin(2.5));
}

TEST_CASE("riser: pressed first it ends on the landing 8 LU under the mix, pressed again it takes more bars",
          "[riser][manners]") {
  TestSong t(kRate, 120);
  t.song.key = Key{2, true};
  t.song.landings = {{"drop", Beats::ofQuarters(32), "Drop"}};
  t.stem("v", 30 * kRate, noise(1, 0.3));
  const auto plan = t.plan();
  Surroundings around;
  around.before = [&](const std::string& row) { return readerBeforeOrnaments(plan, row); };
  const Manners* manners = mannersOf("riser");
  const auto stretch = manners->stretchAt(plan->map(), Beats::ofQuarters(32));
  REQUIRE(stretch);
  CHECK(stretch->begin == Beats::ofQuarters(24));
  Ornament o = place(allKinds(), "riser", plan->song(), "v", *stretch, around);
  CHECK(o.landing == "drop");
  CHECK(*o.settings.at("tone_note").number() == 62);
  const Song bare = t.song;
  t.ornaments = {o};
  t.ornaments[0].id = "o1";
  const auto with = t.plan();
  const StereoBuffer print = printOf(*with, "o1");
  const std::int64_t landing = 16 * kRate - with->node("o1")->plan.extent.begin.count;
  const auto lufs = [](const StereoBuffer& b, std::int64_t from) {
    return loudestWindowLufs(kWeightedPower(b.left() + from, b.right() + from, 19200, kRate), 19200);
  };
  const StereoBuffer row = fill(16 * kRate, noise(1, 0.3));
  CHECK(lufs(print, landing - 19200) == Approx(lufs(row, 15 * kRate) - 8).margin(1));
  std::vector<double> bars;
  for (int press = 0; press < 3; ++press) {
    Song song = bare;
    song.ornaments.push_back(o);
    const auto next = pressedAgain(song, "riser", "v", *stretch);
    REQUIRE((next && next->next));
    o = *next->next;
    CHECK(o.span().end == Beats::ofQuarters(32));
    bars.push_back(o.length.quarters() / 4);
  }
  CHECK(bars == std::vector<double>{4, 8, 2});
}
