#include "dsp/denormals.h"
#include "dsp/space/reverb.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr std::int64_t kBeat = 24000; // at 120 BPM and 48 kHz

/// A word of one beat on beat 8, in a song of sixteen.
std::unique_ptr<TestSong> songWith(const Signal& s, Settings settings, double start = 8, double length = 1,
                                   int rate = 48000) {
  auto t = std::make_unique<TestSong>(rate, 120);
  t->stem("v", rate * 8, s);
  t->ornament("reverse-reverb", "v", start, length, std::move(settings));
  return t;
}

double energyDb(const float* x, std::int64_t from, std::int64_t n) {
  double e = 1e-30;
  for (std::int64_t i = from; i < from + n; ++i) e += static_cast<double>(x[i]) * x[i];
  return 10 * std::log10(e);
}

void backwards(StereoBuffer& b) {
  std::reverse(b.left(), b.left() + b.frames());
  std::reverse(b.right(), b.right() + b.frames());
}

} // namespace

TEST_CASE("a reverse reverb is reversal, the space and reversal again, below -120 dB", "[reverse-reverb]") {
  const FlushDenormals guard;
  for (const char* character : {"plate", "room", "hall", "spring"}) {
    const auto held = songWith(noise(7, 0.4), {{"character", character},
                                               {"decay_seconds", 2.0},
                                               {"damping_percent", 35.0},
                                               {"modulation_percent", 40.0},
                                               {"size_percent", 60.0}});
    TestSong& t = *held;
    t.ornaments.front().seed = 3;
    const auto plan = t.plan();
    const StereoBuffer print = printOf(*plan, "o1");
    const Frames first = plan->node("o1")->print->first();
    REQUIRE(first == Frames(4 * kBeat)); // four beats before the landing on beat 8

    // The three steps by hand, on the source with its edges.
    StereoBuffer steps(5 * kBeat);
    const EdgeWindow edges = EdgeWindow::withDefaultEdges({Frames(8 * kBeat), Frames(9 * kBeat)}, 48000);
    const StereoBuffer stem = fill(9 * kBeat, noise(7, 0.4));
    for (std::int64_t i = 0; i < kBeat; ++i) {
      const auto g = static_cast<float>(edges.at(Frames(8 * kBeat + i)));
      steps.left()[kBeat - 1 - i] = g * stem.left()[8 * kBeat + i];
      steps.right()[kBeat - 1 - i] = g * stem.right()[8 * kBeat + i];
    }
    const std::string c = character;
    Reverb(ReverbSettings{c == "room"     ? ReverbCharacter::room
                          : c == "hall"   ? ReverbCharacter::hall
                          : c == "spring" ? ReverbCharacter::spring
                                          : ReverbCharacter::plate,
                          2.0, 0.6, 0.35, 0.4, false, 3},
           48000)
        .process(steps.span());
    backwards(steps);
    double worst = 0;
    for (std::int64_t i = 4800; i < 4 * kBeat; ++i) // after the lead-in's own fade in
      worst = std::max({worst, std::abs(static_cast<double>(print.left()[i]) - steps.left()[i]),
                        std::abs(static_cast<double>(print.right()[i]) - steps.right()[i])});
    INFO(character << ", worst difference " << worst);
    CHECK(largest(print) > 0.05f);
    CHECK(20 * std::log10(worst + 1e-30) < -120);
  }
}

TEST_CASE("a long source comes in stretches that nobody can tell from one, and is heard before it is read",
          "[reverse-reverb]") {
  const FlushDenormals guard;
  constexpr int kRate = 8000;
  constexpr std::int64_t kSource = kRate * 90, kLead = kRate * 2; // 180 beats, four beats
  TestSong t(kRate, 120);
  t.stem("v", kRate * 100, noise(7, 0.4));
  t.ornament("reverse-reverb", "v", 8, 180,
             {{"decay_seconds", 2.0}, {"modulation_percent", 40.0}, {"wash_under_percent", 100.0}});
  const auto plan = t.plan();
  const StereoBuffer print = printOf(*plan, "o1");
  REQUIRE(print.frames() == kLead + kSource);
  StereoBuffer steps(kSource + kLead);
  const EdgeWindow edges = EdgeWindow::withDefaultEdges({Frames(kRate * 4), Frames(kRate * 4 + kSource)}, kRate);
  const StereoBuffer stem = fill(kRate * 100, noise(7, 0.4));
  for (std::int64_t i = 0; i < kSource; ++i) {
    const auto g = static_cast<float>(edges.at(Frames(kRate * 4 + i)));
    steps.left()[kSource - 1 - i] = g * stem.left()[kRate * 4 + i];
    steps.right()[kSource - 1 - i] = g * stem.right()[kRate * 4 + i];
  }
  Reverb(ReverbSettings{ReverbCharacter::plate, 2.0, 0.5, 0.3, 0.4, false, 1}, kRate).process(steps.span());
  backwards(steps);
  double worst = 0;
  for (std::int64_t i = kRate / 2; i < kLead + kSource - kRate / 10; ++i)
    worst = std::max(worst, std::abs(static_cast<double>(print.left()[i]) - steps.left()[i]));
  CHECK(largest(print) > 0.1f);
  CHECK(20 * std::log10(worst + 1e-30) < -110);

  // What is read before the first block is what the space remembers, not the whole.
  struct Counted : Sounds {
    std::int64_t read_ = 0;
    void read(std::size_t, Frames, StereoSpan out) override {
      read_ += out.frames;
      std::fill_n(out.left, out.frames, 0.1f);
      std::fill_n(out.right, out.frames, 0.1f);
    }
  } sounds;
  Ornament o = *t.song.ornaments.front();
  o.length = Beats::ofQuarters(2 * 60 * 29); // 29 minutes
  const SongContext context = contextOf(t.song);
  const Placed p{o, context};
  const Kind& kind = *allKinds().find("reverse-reverb");
  CHECK(kind.plan(p).refusal.empty());
  const auto voice = kind.start(p, sounds);
  StereoBuffer block(kPrintBlock);
  CHECK(voice->render(block.span()) == kPrintBlock);
  CHECK(sounds.read_ < kRate * 10);
  o.length = Beats::ofQuarters(2 * 60 * 30);
  CHECK(kind.plan({o, context}).refusal.find("30 minutes") != std::string::npos);
}

TEST_CASE("the swell is loudest at its landing and gone 5 ms after it", "[reverse-reverb]") {
  for (const char* character : {"plate", "room", "hall", "spring", "impulse"})
    for (const double decay : {1.0, 4.0, 10.0}) {
      const auto held = songWith(noise(2, 0.4), {{"character", character}, {"decay_seconds", decay}});
      TestSong& t = *held;
      const StereoBuffer print = printOf(*t.plan(), "o1");
      const std::int64_t landing = 4 * kBeat;
      REQUIRE(print.frames() == landing + 240);
      INFO(character << ", " << decay << " s");
      const double last = energyDb(print.left(), landing - 2400, 2400) + energyDb(print.right(), landing - 2400, 2400);
      double best = -1e9;
      std::int64_t at = 0;
      for (std::int64_t i = 0; i + 2400 <= landing - 2400; i += 480) {
        const double e = energyDb(print.left(), i, 2400) + energyDb(print.right(), i, 2400);
        if (e > best) {
          best = e;
          at = i + 2400;
        }
      }
      if (decay <= 4)
        CHECK(last > best);
      else
        CHECK((last > best || landing - at <= 7200));
      CHECK(std::abs(print.left()[landing + 239]) < 1e-3f);
    }
}

TEST_CASE("the landing is exact to the sample wherever it is put, at any rate and tempo", "[reverse-reverb]") {
  // A click as the source: the swell's last sample is the space's first answer.
  for (const int rate : {44100, 48000, 96000})
    for (const double land : {0.0, -1.5, 3.25}) {
      TestSong t(rate, 97);
      const Frames click = t.song.tempoMap().frameAt(Beats::ofQuarters(8));
      t.stem("v", click.count + rate, only(click.count + 200, click.count + 201, [](auto, auto) { return 0.9f; }));
      t.ornament("reverse-reverb", "v", 8, 1, {{"land", land}, {"wash_under_percent", 100.0}});
      const auto plan = t.plan();
      const auto node = plan->node("o1");
      const StereoBuffer print = printOf(*plan, "o1");
      const Frames landing = *node->kind->landingFrame({*node->ornament, plan->context()});
      CHECK(landing == plan->map().frameAt(Beats::ofQuarters(8 + land)));
      // The click lies 200 frames into the source; nothing of its space comes after it.
      const std::int64_t at = (landing - node->print->first()).count + 200;
      INFO(rate << " Hz, landing at " << land);
      float before = 0, after = 0;
      for (std::int64_t i = at - 480; i <= at; ++i) before = std::max(before, std::abs(print.left()[i]));
      for (std::int64_t i = at + 1; i < print.frames(); ++i) after = std::max(after, std::abs(print.left()[i]));
      CHECK(before > 1e-3f);
      CHECK(after < 1e-6f);
    }
}

TEST_CASE("a fitted decay begins 60 dB under its end", "[reverse-reverb][heavy]") {
  for (const char* character : {"plate", "room", "hall"})
    for (const double lead : {2.0, 4.0, 8.0})
      for (const double damping : {0.0, 30.0, 60.0}) {
        const auto owned =
            songWith(noise(5, 0.4), {{"character", character}, {"lead_beats", lead}, {"damping_percent", damping}});
        TestSong& t = *owned;
        const StereoBuffer print = printOf(*t.plan(), "o1");
        const auto landing = static_cast<std::int64_t>(lead * kBeat);
        const auto band = bandOf(print.left(), print.frames(), 1000, 1, 48000);
        const auto level = [&](std::int64_t from, std::int64_t n) {
          double e = 1e-30;
          for (std::int64_t i = from; i < from + n; ++i)
            e += band[static_cast<std::size_t>(i)] * band[static_cast<std::size_t>(i)];
          return 10 * std::log10(e / static_cast<double>(n));
        };
        // From two places away from the fade in, carried on to the very begin: the slope is what is set.
        const double end = level(landing - 2400, 2400), early = level(4800, 4800);
        const double share = static_cast<double>(landing - 1200 - 7200) / static_cast<double>(landing);
        INFO(character << ", lead-in of " << lead << " beats, damping " << damping);
        CHECK((early - end) / share == Approx(-60).margin(4));
      }
}

TEST_CASE("an impulse response fits the lead-in by a window", "[reverse-reverb]") {
  const auto owned =
      songWith(noise(5, 0.4), {{"character", "impulse"}, {"impulse_file", "shipped:cistern"}, {"lead_beats", 4.0}});
  TestSong& t = *owned;
  const StereoBuffer print = printOf(*t.plan(), "o1");
  const auto level = [&](std::int64_t at) { return energyDb(print.left(), at, 2400); };
  CHECK(level(4 * kBeat - 2400) - level(kBeat) >
        30); // 60 dB over the lead-in: 45 dB over three quarters of it, less the build-up
}

TEST_CASE("word, wash and spill come after the landing and only when asked", "[reverse-reverb]") {
  const Signal word = sine(440, 48000, 0.5);
  const std::int64_t landing = 4 * kBeat;
  const StereoBuffer bare = printOf(*songWith(word, {})->plan(), "o1");
  CHECK(bare.frames() == landing + 240);
  // The word alone: what the print has more is the source, edges and all.
  const StereoBuffer with = printOf(*songWith(word, {{"word_db", -6.0}})->plan(), "o1");
  REQUIRE(with.frames() == landing + kBeat);
  const StereoBuffer stem = fill(9 * kBeat, word);
  for (std::int64_t i = 1000; i < kBeat - 1000; i += 37)
    REQUIRE(with.left()[landing + i] == Approx(0.5012f * stem.left()[8 * kBeat + i]).margin(1e-5));
  for (std::int64_t i = 0; i < landing; i += 37) REQUIRE(with.left()[i] == bare.left()[i]);
  // Half of the wash is half of the whole.
  const StereoBuffer half = printOf(*songWith(word, {{"wash_under_percent", 50.0}})->plan(), "o1");
  const StereoBuffer whole = printOf(*songWith(word, {{"wash_under_percent", 100.0}})->plan(), "o1");
  REQUIRE(half.frames() == landing + kBeat);
  for (std::int64_t i = 300; i < kBeat - 500; i += 37)
    REQUIRE(half.left()[landing + i] == Approx(0.5f * whole.left()[landing + i]).margin(1e-5));
  CHECK(rmsDb(whole.left() + landing + 300, kBeat / 2) > -30);
  // The spill rings on from the word and is over by its end.
  const StereoBuffer spill = printOf(*songWith(word, {{"spill_beats", 3.0}})->plan(), "o1");
  REQUIRE(spill.frames() == landing + 3 * kBeat);
  CHECK(rmsDb(spill.left() + landing + kBeat, 4800) > -40);
  CHECK(rmsDb(spill.left() + spill.frames() - 480, 480) < -70);
  for (std::int64_t i = 0; i < landing; i += 37) REQUIRE(spill.left()[i] == bare.left()[i]);
}

TEST_CASE("on a whole phrase with wash every syllable has a swell of its own", "[reverse-reverb]") {
  // Three syllables on beats 8, 9.5 and 11 of a phrase of four beats; decay 0.8 s.
  const auto syllable = [](std::int64_t f, int side) {
    for (const double beat : {8.0, 9.5, 11.0}) {
      const auto at = static_cast<std::int64_t>(beat * kBeat);
      if (f >= at && f < at + 6000) return noise(9, 0.4)(f, side);
    }
    return 0.0f;
  };
  const auto held = songWith(syllable, {{"decay_seconds", 0.8}, {"wash_under_percent", 100.0}}, 8, 4);
  TestSong& t = *held;
  const StereoBuffer print = printOf(*t.plan(), "o1");
  for (const double beat : {8.0, 9.5, 11.0}) {
    const auto at = static_cast<std::int64_t>((beat - 4) * kBeat);
    INFO("syllable on beat " << beat);
    CHECK(energyDb(print.left(), at - 2400, 2400) > energyDb(print.left(), at - 14400, 2400) + 6);
  }
}

TEST_CASE("echoes swell too: in a row either way, and balanced", "[reverse-reverb]") {
  const Signal click = only(8 * kBeat, 8 * kBeat + 480, noise(1, 0.8));
  const auto print = [&](const char* through, double balance) {
    return printOf(*songWith(click, {{"space", through},
                                     {"echo_time", "1/8"},
                                     {"echo_feedback_percent", 50.0},
                                     {"balance_percent", balance},
                                     {"decay_seconds", 1.0}})
                        ->plan(),
                   "o1");
  };
  const StereoBuffer echo = print("echo", 50);
  // Echo k lies k eighths before the landing, k ≥ 1, each half of the one after it.
  for (int k = 1; k <= 4; ++k) {
    const std::int64_t at = 4 * kBeat - k * kBeat / 2;
    CHECK(energyDb(echo.left(), at, 480) - energyDb(echo.left(), 4 * kBeat - kBeat / 2, 480) ==
          Approx(-6.02 * (k - 1)).margin(0.1));
    CHECK(largest(fill(1, silence())) == 0);
    CHECK(energyDb(echo.left(), at + 600, 2400) < -90); // nothing between
  }
  const StereoBuffer reverb = print("reverb", 50);
  CHECK(print("echo-reverb", 0) == reverb);
  CHECK(print("reverb-echo", 0) == reverb);
  const StereoBuffer a = print("echo-reverb", 100), b = print("reverb-echo", 100);
  double difference = 0,
         level = 0; // both are linear and without movement would be alike; the order is heard in the movement
  for (std::int64_t i = 0; i < a.frames(); ++i) {
    difference = std::max(difference, std::abs(static_cast<double>(a.left()[i]) - b.left()[i]));
    level = std::max(level, std::abs(static_cast<double>(a.left()[i])));
  }
  CHECK(level > 0.001);
  CHECK(difference > 0);
  CHECK(difference < level);
}

TEST_CASE("fitted echoes rise to the landing, whatever the lead-in and the word", "[reverse-reverb]") {
  // A word of two beats and one of a quarter, leads from half a beat to two bars: 30 dB over the lead-in, and no fifth
  // of it louder than the next one by more than a decibel.
  for (const double word : {2.0, 0.25})
    for (const double lead : {0.5, 1.0, 2.0, 3.0, 4.0, 8.0}) {
      TestSong t;
      t.stem("v", 40 * kBeat, noise(5, 0.3));
      t.ornament("reverse-reverb", "v", 16, word,
                 {{"space", "echo"}, {"lead_beats", lead}, {"echo_time", Value()}, {"echo_feedback_percent", Value()}});
      const StereoBuffer p = printOf(*t.plan(), "o1");
      const auto frames = static_cast<std::int64_t>(lead * kBeat), part = frames / 6;
      INFO("word " << word << ", lead " << lead);
      REQUIRE(p.frames() >= frames);
      std::vector<double> level;
      for (int k = 0; k < 6; ++k) level.push_back(energyDb(p.left(), k * part, part));
      for (std::size_t k = 1; k < level.size(); ++k) CHECK(level[k] > level[k - 1] - 1);
      CHECK(level.back() - level.front() > 18); // five sixths of 30, less what a part of several echoes evens out
      CHECK(level.back() - level.front() < 34);
    }
}

TEST_CASE("the rise bends later and earlier but never over the landing", "[reverse-reverb]") {
  const auto print = [&](double bend) {
    return printOf(*songWith(noise(4, 0.4), {{"rise_bend", bend}})->plan(), "o1");
  };
  const StereoBuffer plain = print(0), later = print(1), earlier = print(-1);
  const std::int64_t landing = 4 * kBeat;
  for (const StereoBuffer* b : {&later, &earlier})
    CHECK(energyDb(b->left(), landing - 240, 240) == Approx(energyDb(plain.left(), landing - 240, 240)).margin(0.3));
  CHECK(energyDb(later.left(), 2 * kBeat, 2400) - energyDb(plain.left(), 2 * kBeat, 2400) == Approx(-17.5).margin(1));
  CHECK(energyDb(earlier.left(), 2 * kBeat, 2400) - energyDb(plain.left(), 2 * kBeat, 2400) > 15);
  double loudest = -1e9;
  for (std::int64_t i = 0; i < landing - 4800; i += 2400)
    loudest = std::max(loudest, energyDb(earlier.left(), i, 2400));
  CHECK(loudest < energyDb(earlier.left(), landing - 2400, 2400));
}

TEST_CASE("corners of the reverse reverb are harmless", "[reverse-reverb]") {
  // Silence, a source before bar 1, one from another row, one over two minutes, all limits at once.
  CHECK(printOf(*songWith(silence(), {})->plan(), "o1").frames() == 0);
  {
    const auto held = songWith(noise(1, 0.5), {}, 0, 1);
    TestSong& t = *held;
    t.ornaments.front().settings["land"] = -2.0;
    CHECK(largest(printOf(*t.plan(), "o1")) > 0.01f);
  }
  {
    const auto held = songWith(noise(1, 0.5), {});
    TestSong& t = *held;
    t.stem("w", 48000 * 8, only(0, kBeat, sine(300, 48000, 0.5)));
    t.ornaments.front().source = {{"w", Beats::ofQuarters(0), Beats::ofQuarters(1), -3}};
    CHECK(largest(printOf(*t.plan(), "o1")) > 0.01f);
    CHECK(t.plan()->node("o1")->plan.reads.front().row == "w");
  }
  {
    TestSong t(48000, 20); // three seconds a beat
    t.stem("v", 48000, noise(1, 0.5));
    t.ornament("reverse-reverb", "v", 0, 620); // 31 minutes
    CHECK_FALSE(t.plan()->node("o1")->plan.sounds);
    CHECK(t.problems.hasErrors());
  }
  const auto held = songWith(square(100, 48000, 1.0), {{"lead_beats", 64.0},
                                                       {"decay_seconds", 30.0},
                                                       {"space", "reverb-echo"},
                                                       {"echo_feedback_percent", 95.0},
                                                       {"wet_db", 12.0},
                                                       {"modulation_percent", 100.0},
                                                       {"spill_beats", 16.0},
                                                       {"word_db", 12.0}});
  TestSong& t = *held;
  const StereoBuffer print = printOf(*t.plan(), "o1");
  for (std::int64_t i = 0; i < print.frames(); ++i) REQUIRE(std::isfinite(print.left()[i]));
}
