// What listening adds and leaves alone: one ornament alone, equal loudness, the true-peak meter, a device at another
// rate, the song's begin.
#include "dsp/measure/loudness.h"
#include "dsp/measure/true_peak.h"
#include "files/song_file.h"
#include "manners/collision_answers.h"
#include "manners/first_press.h"
#include "play/player.h"
#include "play/rate_feed.h"
#include "play/simulated_output.h"
#include "render/export.h"
#include "render/facts.h"
#include "test_support/lead_in_kind.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;
constexpr std::int64_t kFade = 240;

StereoBuffer heard(Player& player, std::int64_t from, std::int64_t frames) {
  SimulatedOutput out(SimulatedOutput::Mode::stepped, 256);
  out.beforePeriod([&] { player.pump(); });
  out.start(player, kRate);
  player.play(Frames(from));
  out.step(frames);
  out.stop();
  return out.recorded();
}

/// A word in the second beat, a phrase from beat 6 on.
Signal twoPhrases() {
  const Signal tone = [](std::int64_t f, int) {
    const double t = static_cast<double>(f) / kRate;
    return static_cast<float>(0.25 * std::sin(2 * M_PI * 330 * t) + 0.15 * std::sin(2 * M_PI * 1320 * t));
  };
  return [=](std::int64_t f, int side) {
    return (f >= 24000 && f < 48000) || (f >= 144000 && f < 240000) ? tone(f, side) : 0.0f;
  };
}

} // namespace

TEST_CASE("alone is the print after gain and pan of its row and bus, and nothing else", "[listen]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  t.stem("w", 480000, noise(2, 0.3));
  t.song.buses.push_back({"bus", "Bus", {-3, 0.25, false, false}});
  t.song.stems[0].bus = "bus";
  t.song.stems[0].mix.gainDb = -6;
  t.song.mix.limiter = false;
  t.song.mix.gainDb = 2;
  const std::string id = t.ornament("delay-throw", "v", 1, 1).id;
  t.ornament("gap", "w", 2, 1);
  const auto plan = t.plan();
  Player player({kRate, 256, false});
  player.setPlan(plan);
  player.setAlone(id);
  const StereoBuffer got = heard(player, 0, 96000), print = printOf(*plan, id);
  const std::int64_t first = plan->node(id)->print->first().count, delay = Player::monitorDelay(kRate);
  const double g = Decibels(-7).gain(), left = g * std::cos(0.25 * M_PI / 2);
  for (std::int64_t f = first + 100; f < 90000; f += 97) {
    REQUIRE(got.left()[f + delay] == Approx(static_cast<double>(print.left()[f - first]) * left).margin(1e-5));
    REQUIRE(got.right()[f + delay] == Approx(static_cast<double>(print.right()[f - first]) * g).margin(1e-5));
  }
  // A gap adds nothing.
  player.setAlone(plan->song().ornaments[1]->id);
  const StereoBuffer none = heard(player, 48000, 20000);
  CHECK(std::abs(peakIn(none.left(), 2 * kFade, 20000).value) < 1e-6f); // what was heard before has faded out
}

TEST_CASE("equal loudness is one gain, never up, after all that is exported", "[listen]") {
  TestSong t;
  t.stem("v", 480000, sine(500, kRate, 0.4));
  t.song.mix.limiter = false;
  const auto plan = t.plan();
  Player player({kRate, 256, false});
  player.setPlan(plan);
  player.setMatchDb(-6);
  const StereoBuffer soft = heard(player, 0, 48000);
  CHECK(toneLevel(soft.left() + 4800, 24000, 500, kRate) == Approx(0.4 * Decibels(-6).gain()).epsilon(1e-3));
  player.setMatchDb(+6);
  const StereoBuffer full = heard(player, 0, 48000);
  CHECK(toneLevel(full.left() + 4800, 24000, 500, kRate) == Approx(0.4).epsilon(1e-3));
}

TEST_CASE("the true-peak meter agrees with libebur128 within 0.2 dB", "[listen]") {
  for (const double hz : {997.0, 5000.0, 11025.0, 12000.0}) {
    const Signal s = [hz](std::int64_t f, int) {
      return static_cast<float>(0.5 * std::sin(2 * M_PI * hz * static_cast<double>(f) / kRate + M_PI / 4));
    };
    const StereoBuffer b = fill(48000, s);
    TruePeakMeter meter;
    float peak = 0;
    for (std::int64_t at = 0; at < 48000; at += 500)
      peak = std::max(peak, meter.add(b.left() + at, b.right() + at, 500));
    INFO(hz);
    CHECK(Decibels::ofGain(static_cast<double>(peak)).value ==
          Approx(measureLoudness(b.left(), b.right(), 48000, kRate).truePeakDbtp).margin(0.2));
    CHECK(Decibels::ofGain(static_cast<double>(peak)).value == Approx(Decibels::ofGain(0.5).value).margin(0.2));
  }
  // A full-scale tone at a quarter of the rate, sampled at 45 degrees, lies 3 dB over its samples.
  Player player({kRate, 256, false});
  TestSong t;
  t.stem("v", 96000, [](std::int64_t f, int) {
    return static_cast<float>(0.5 * std::sin(M_PI / 2 * static_cast<double>(f) + M_PI / 4));
  });
  t.song.mix.limiter = false;
  player.setPlan(t.plan());
  heard(player, 4800, 24000);
  // Beginning at full level it overshoots a little: that is a true peak too.
  CHECK(static_cast<double>(player.takeMeters().truePeak) == Approx(0.505).epsilon(0.011));
  CHECK(player.takeMeters().truePeak == 0);
}

namespace {

struct SignalFeed : AudioFeed {
  explicit SignalFeed(Signal s)
      : signal(std::move(s)) {}
  void fill(float* left, float* right, std::int64_t frames) noexcept override {
    for (std::int64_t i = 0; i < frames; ++i, ++at) {
      left[i] = signal(at, 0);
      right[i] = signal(at, 1);
    }
  }
  Signal signal;
  std::int64_t at = 0;
};

} // namespace

TEST_CASE("a device at another rate hears the same pitch and level, in time, without images", "[listen]") {
  for (const auto& [song, device] :
       {std::pair{44100, 48000}, {48000, 44100}, {96000, 48000}, {48000, 96000}, {44056, 48000}})
    for (const double hz : {440.0, 9000.0, 17000.0}) {
      SignalFeed feed(sine(hz, song, 0.5));
      RateFeed converted(feed, song, device);
      StereoBuffer out(device);
      for (std::int64_t at = 0; at < device;) {
        const std::int64_t n = std::min<std::int64_t>(at % 3 == 0 ? 256 : 333, device - at);
        converted.fill(out.left() + at, out.right() + at, n);
        at += n;
      }
      INFO(song << " on " << device << " at " << hz);
      const std::int64_t from = 2000, n = device / 2;
      CHECK(Decibels::ofGain(toneLevel(out.left() + from, n, hz, device) / 0.5).value == Approx(0).margin(0.05));
      // In time: frame f of the device is the song at the same second. All that is left beside that is distortion.
      double rest = 0;
      for (std::int64_t f = from; f < from + n; ++f) {
        const double want = 0.5 * std::sin(2 * M_PI * hz * static_cast<double>(f) / device);
        rest += std::pow(static_cast<double>(out.left()[f]) - want, 2);
      }
      CHECK(10 * std::log10(rest / static_cast<double>(n) / 0.125) < -80);
    }
  // What the device cannot hold does not fold back.
  SignalFeed feed(sine(23500, 96000, 0.5));
  RateFeed down(feed, 96000, 44100);
  StereoBuffer out(44100);
  down.fill(out.left(), out.right(), 44100);
  CHECK(rmsDb(out.left() + 1000, 40000) < -85);
}

TEST_CASE("what sounds before the song is faded in at its begin, unless the range begins before it", "[listen]") {
  TestSong t;
  t.stem("v", 96000, sine(300, kRate, 0.5));
  t.useKinds(kindsWithLeadIn());
  // A lead-in that began half a beat before frame 0.
  t.ornament("test-lead-in", "v", 0.5, 1);
  const auto plan = t.plan();
  REQUIRE(plan->nodes()[0]->print);
  REQUIRE(plan->nodes()[0]->print->first() < Frames(0));
  Evaluator keeps(*plan, Evaluator::Missing::compute), begins(*plan, Evaluator::Missing::compute);
  begins.setBegin(Frames(0));
  Planes a, b;
  keeps.planes(0, Frames(-2000), 6000, a);
  begins.planes(0, Frames(-2000), 6000, b);
  REQUIRE(a.wetSounds);
  CHECK(std::abs(peakIn(a.wet.left(), 0, 2000).value) > 0.1f);
  CHECK(peakIn(b.wet.left(), 0, 2000).value == 0);
  CHECK(std::abs(b.wet.left()[2000]) < 1e-6f);
  const std::int64_t half = 2000 + 48; // 1 ms in: half way
  CHECK(b.wet.left()[half] == Approx(0.5 * static_cast<double>(a.wet.left()[half])).margin(0.02));
  for (std::int64_t f = 2000 + 97; f < 6000; ++f) REQUIRE(b.wet.left()[f] == a.wet.left()[f]);
  // The export does so; with a negative begin it keeps it.
  const TempFolder dir;
  ExportOptions o;
  o.mix = false;
  o.wet = true;
  o.format = AudioFormat::wav32f;
  exportSong(plan, dir / "zero", o);
  CHECK(std::abs(readWav(dir / "zero/wet/v.wav").left()[0]) < 1e-6f);
  o.from = Beats::ofQuarters(-0.25);
  exportSong(plan, dir / "before", o);
  CHECK(std::abs(peakIn(readWav(dir / "before/wet/v.wav").left(), 0, 6000).value) > 0.1f);
}

TEST_CASE("each answer to a collision leaves none", "[listen]") {
  TestSong t;
  t.stem("v", 480000, twoPhrases());
  Settings loud{{"time_left", "1/4"}, {"time_right", "1/4"}, {"feedback_percent", 80.0}};
  const std::string id = t.ornament("delay-throw", "v", 1, 1, loud).id;
  const auto collisions = [&] {
    const auto plan = t.plan();
    const auto node = plan->node(id);
    node->print->ensure(*plan, *node);
    const RowReader dry = readerBeforeOrnaments(plan, "v");
    return findCollisions(readerOfPrint(node), node->extent(), plan->map().frames(node->ornament->span()), dry,
                          findPhrases(dry, {Frames(0), plan->end(true)}, kRate).phrases, kRate);
  };
  const auto before = collisions();
  REQUIRE_FALSE(before.empty());
  const Ornament placed = t.ornaments[0];
  const Kind& kind = *allKinds().find("delay-throw");
  const TempoMap map = t.song.tempoMap();
  for (const auto answer : {CollisionAnswer::duck, CollisionAnswer::cut, CollisionAnswer::shorten}) {
    t.ornaments[0] = placed;
    // As a person would: press again while it is still offered.
    int presses = 0;
    for (auto now = collisions(); !now.empty() && presses < 3; now = collisions(), ++presses) {
      const auto next = answered(kind, {t.ornaments[0], {map}}, answer, now.front());
      REQUIRE(next);
      t.ornaments[0] = *next;
    }
    INFO("answer " << static_cast<int>(answer) << " after " << presses << " presses");
    CHECK(collisions().empty());
    CHECK(presses <= 2);
    // The source is not touched, and the echo in the rest before the phrase is still there.
    CHECK(t.ornaments[0].span() == placed.span());
    const StereoBuffer print = printOf(*t.plan(), id);
    CHECK(std::abs(peakIn(print.left(), 24000, 48000).value) > 0.02f);
  }
  // Nothing where there is no setting for it.
  Ornament gap;
  gap.kind = "gap";
  gap.length = Beats::ofQuarters(1);
  CHECK_FALSE(answered(*allKinds().find("gap"), {gap, {map}}, CollisionAnswer::duck, before.front()));
}

TEST_CASE("a tail is dragged to its end, and whole again beyond it; a gap by its landing", "[listen]") {
  TestSong t;
  t.stem("v", 480000, twoPhrases());
  Ornament& o = t.ornament("delay-throw", "v", 1, 1, {{"feedback_percent", 50.0}});
  const Kind& kind = *allKinds().find("delay-throw");
  const TempoMap map = t.song.tempoMap();
  const auto cut = kind.withTailEnd({o, {map}}, Beats::ofQuarters(4.5));
  REQUIRE(cut);
  CHECK(*cut->settings.at("cut_at").number() == 3.5);
  o = *cut;
  const auto plan = t.plan();
  const auto node = plan->node(o.id);
  node->print->ensure(*plan, *node);
  // Ended there with its short fade.
  CHECK(std::abs(node->extent().end.count - map.frameAt(Beats::ofQuarters(4.5)).count) < kRate * 12 / 1000);
  const auto whole = kind.withTailEnd({o, {map}}, Beats::ofQuarters(90));
  CHECK(whole->settings.at("cut_at").isNull());
  const auto least = kind.withTailEnd({o, {map}}, Beats(0)); // never before it began
  CHECK(*least->settings.at("cut_at").number() > 0);
  CHECK_FALSE(kind.withLeadBegin({o, {map}}, Beats(0)));
  CHECK_FALSE(kind.levelIsTheEffect());

  Ornament gap;
  gap.kind = "gap";
  gap.start = Beats::ofQuarters(3);
  gap.length = Beats::ofQuarters(1);
  const Kind& gapKind = *allKinds().find("gap");
  CHECK(gapKind.withLandingAt({gap, {map}}, Beats::ofQuarters(5))->length == Beats::ofQuarters(2));
  CHECK(gapKind.withLandingAt({gap, {map}}, Beats::ofQuarters(1))->length.ticks > 0);
  CHECK(gapKind.levelIsTheEffect());
}
