// Playing is checked on what the stepped output recorded.
#include "dsp/dynamics/mix_limiter.h"
#include "dsp/measure/true_peak.h"
#include "play/click.h"
#include "play/feed_switch.h"
#include "play/player.h"
#include "play/simulated_output.h"
#include "render/render_pool.h"
#include "test_support/bench_song.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;
constexpr std::int64_t kFade = 240;

struct Rig {
  explicit Rig(std::shared_ptr<const RenderPlan> plan, std::int64_t period = 256)
      : player({kRate, period, false})
      , out(SimulatedOutput::Mode::stepped, period) {
    out.beforePeriod([this] { player.pump(); });
    out.start(player, kRate);
    player.setPlan(std::move(plan));
  }
  StereoBuffer take(std::int64_t frames) {
    out.forgetRecording();
    out.step(frames);
    return out.recorded();
  }
  Player player;
  SimulatedOutput out;
};

/// The mix through the limiter, as the export has it.
StereoBuffer exported(const RenderPlan& plan, std::int64_t from, std::int64_t frames) {
  if (!plan.song().mix.limiter) return mixOut(plan, from, frames);
  Evaluator e(plan, Evaluator::Missing::compute);
  MixLimiter l(kRate, plan.song().mix.ceilingDbtp, [&](Frames at, StereoSpan out) { e.mix(at, out); });
  StereoBuffer b(frames);
  l.read(Frames(from), b.span());
  return b;
}

/// First index from which `got` equals `want`, shifted by the monitor delay; −1 where they never agree to the end.
bool agrees(const StereoBuffer& got, std::int64_t gotFrom, const StereoBuffer& want, std::int64_t wantFrom,
            std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i)
    if (got.left()[gotFrom + i] != want.left()[wantFrom + i] || got.right()[gotFrom + i] != want.right()[wantFrom + i])
      return false;
  return true;
}

} // namespace

TEST_CASE("what is heard are the samples of the export", "[play]") {
  const auto t = bigSong(3, 8, 10);
  t->song.mix.limiter = true;
  t->song.mix.gainDb = 4;
  const std::int64_t delay = Player::monitorDelay(kRate);
  for (const std::int64_t period : {64, 256, 480, 1024}) {
    const auto plan = t->plan();
    Rig rig(plan, period);
    rig.player.play(Frames(30000));
    const StereoBuffer got = rig.take(48000), want = exported(*plan, 30000, 48000);
    INFO(period);
    CHECK(agrees(got, delay + kFade, want, kFade, 48000 - delay - kFade));
    CHECK(rig.player.missedFrames() == 0);
    CHECK(rig.player.position() == Frames(30000 + 48000));
  }
}

TEST_CASE("a device that asks for more at once than was expected, or for more later, gets all of it", "[play]") {
  const auto t = bigSong(3, 8, 10);
  const std::int64_t delay = Player::monitorDelay(kRate), second = 48000;
  const auto plan = t->plan();
  for (const std::int64_t period : {1024, 2048, 8192}) {
    CAPTURE(period);
    Player player({kRate, 256, false});
    SimulatedOutput out(SimulatedOutput::Mode::stepped, period);
    out.beforePeriod([&] { player.pump(); });
    out.start(player, kRate);
    player.setPlan(plan);
    out.step(period); // nothing is played yet
    out.forgetRecording();
    player.play(Frames(30000));
    out.step(3 * second);
    CHECK(player.missedFrames() == 0);
    CHECK(agrees(out.recorded(), delay + kFade, exported(*plan, 30000, 3 * second), kFade, 3 * second - delay - kFade));
    // Three of them are ready: as much is there for a device that changes its mind.
    SimulatedOutput other(SimulatedOutput::Mode::stepped, std::min<std::int64_t>(2 * period, 8192));
    out.stop();
    other.beforePeriod([&] { player.pump(); });
    other.start(player, kRate);
    other.step(second);
    CHECK(player.missedFrames() == 0);
  }
}

TEST_CASE("stopping fades within 5 ms, starting keeps the attack", "[play]") {
  TestSong t;
  t.stem("v", 480000, sine(200, kRate, 0.5));
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(24000);
  rig.player.stop();
  const StereoBuffer after = rig.take(4096);
  double jump = 0;
  for (std::int64_t i = 1; i < 4096; ++i)
    jump = std::max(jump, std::abs(static_cast<double>(after.left()[i] - after.left()[i - 1])));
  CHECK(jump < 0.5 * 2 * M_PI * 200 / kRate * 1.2); // no faster than the tone itself
  for (std::int64_t i = kFade; i < 4096; ++i) REQUIRE(after.left()[i] == 0);
  CHECK_FALSE(rig.player.playing());
  // A start in the middle of a loud passage is up within a millisecond.
  rig.player.play(Frames(60));
  const StereoBuffer begin = rig.take(1024), want = mixOut(*t.plan(), 60, 1024);
  CHECK(begin.left()[Player::monitorDelay(kRate) + 60] == Approx(want.left()[60]).margin(0.02));
}

TEST_CASE("a seek crossfades to the new place", "[play]") {
  TestSong t;
  t.stem("v", 480000, [](std::int64_t f, int) { return f < 240000 ? 0.25f : -0.25f; });
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(24000);
  rig.player.play(Frames(300000));
  const StereoBuffer got = rig.take(2048);
  double jump = 0;
  for (std::int64_t i = 1; i < 2048; ++i)
    jump = std::max(jump, std::abs(static_cast<double>(got.left()[i] - got.left()[i - 1])));
  CHECK(jump < 0.02); // 0.5 over at least a millisecond
  CHECK(got.left()[1500] == -0.25f);
}

TEST_CASE("a loop goes round to the frame, for hours", "[play]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  const auto plan = t.plan();
  Rig rig(plan, 333);
  rig.player.setLoop(FrameRange{Frames(10000), Frames(17001)});
  rig.player.play(Frames(10000));
  const StereoBuffer got = rig.take(7001 * 40), want = mixOut(*plan, 10000, 7001);
  const std::int64_t delay = Player::monitorDelay(kRate);
  for (int round = 0; round < 39; ++round) {
    INFO(round);
    const std::int64_t from = round == 0 ? kFade : 0; // where it goes round the start is there from its first sample on
    REQUIRE(agrees(got, delay + round * 7001 + from, want, from, 7001 - from - kFade));
  }
  CHECK(rig.player.missedFrames() == 0);
}

TEST_CASE("where a loop goes round nothing is louder than the ceiling, and the meter says so", "[play]") {
  // Loud noise to the ceiling, and a loud tone whose phase does not fit: the worst that two ends can do.
  for (const bool tone : {false, true}) {
    TestSong t;
    t.stem("v", 480000, tone ? sine(61.7, kRate, 1.2) : noise(1, 1.4));
    t.song.mix.limiter = true;
    t.song.mix.ceilingDbtp = -1;
    const auto plan = t.plan();
    for (const std::int64_t length : {7001, 24000, 300}) {
      INFO(tone << " " << length);
      Rig rig(plan);
      rig.player.setLoop(FrameRange{Frames(10000), Frames(10000 + length)});
      rig.player.play(Frames(10000));
      const StereoBuffer got = rig.take(4 * kRate);
      TruePeakMeter meter;
      float most = 0;
      for (std::int64_t at = 2000; at < got.frames(); at += 256)
        most = std::max(most,
                        meter.add(got.left() + at, got.right() + at, std::min<std::int64_t>(256, got.frames() - at)));
      CHECK(Decibels::ofGain(static_cast<double>(most)).value <= -1 + 0.1);
      CHECK(Decibels::ofGain(static_cast<double>(rig.player.takeMeters().truePeak)).value <= -1 + 0.1);
    }
  }
}

TEST_CASE("an edit or a jump makes the meter find no peak that is not there", "[play]") {
  TestSong t;
  t.stem("v", 480000, [](std::int64_t f, int) { return f < 240000 ? 0.5f : -0.5f; });
  Rig rig(t.plan());
  rig.player.play(Frames(220000));
  rig.take(9000);
  for (int i = 0; i < 8; ++i) {
    rig.player.play(Frames(i % 2 == 0 ? 300000 : 100000));
    rig.take(3000);
    t.song.stems[0].mix.gainDb = -0.001 * i;
    rig.player.setPlan(t.plan());
    rig.take(3000);
  }
  CHECK(rig.player.takeMeters().truePeak < 0.501f);
}

TEST_CASE("an edit while playing goes on at the very next frame with the new sound", "[play]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  auto& gap = t.ornament("gap", "v", 8, 1);
  const auto before = t.plan();
  Rig rig(before, 256);
  rig.player.play(Frames(0));
  const StereoBuffer first = rig.take(25600);
  t.song.stems[0].mix.gainDb = -6;
  gap.start = Beats::ofQuarters(1.2);
  const auto after = t.plan();
  rig.player.setPlan(after);
  const StereoBuffer second = rig.take(25600), wantFirst = mixOut(*before, 0, 25600),
                     want = mixOut(*after, 25600, 25600);
  const std::int64_t delay = Player::monitorDelay(kRate);
  CHECK(agrees(first, delay + kFade, wantFirst, kFade, 25600 - delay - kFade));
  // One period may still come from the old plan; then 5 ms of crossfade; then bit for bit.
  CHECK(agrees(second, 2 * 256 + kFade + delay, want, 2 * 256 + kFade, 25600 - 2 * 256 - kFade - delay));
  CHECK(rig.player.missedFrames() == 0);
}

TEST_CASE("solo is for listening: only those rows, without the mix limiter", "[play]") {
  TestSong t;
  t.stem("a", 96000, sine(400, kRate, 0.25));
  t.stem("b", 96000, sine(700, kRate, 0.25));
  t.song.stems[1].mix.solo = true;
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  const StereoBuffer got = rig.take(48000);
  CHECK(toneLevel(got.left() + 4800, 38400, 400, kRate) < 1e-4);
  CHECK(toneLevel(got.left() + 4800, 38400, 700, kRate) == Approx(0.25).epsilon(0.01));
  CHECK(largest(mixOut(*t.plan(), 0, 48000)) > 0.4f); // the export ignores it
}

TEST_CASE("the click stands on the beats, over changes of tempo and meter", "[play]") {
  TestSong t;
  t.song.tempo = {{Beats(0), 120}, {Beats::ofQuarters(4), 75}};
  t.song.meter = {{Beats(0), 4, 4}, {Beats::ofQuarters(4), 3, 8}};
  t.stem("v", 480000, silence());
  const auto plan = t.plan();
  Rig rig(plan);
  rig.player.setClick(true, Click{ClickSound::tone, -6, 0});
  rig.player.play(Frames(0));
  const StereoBuffer got = rig.take(240000);
  std::vector<std::int64_t> beats;
  for (int k = 0; k < 4; ++k) beats.push_back(24000 * k);
  for (int k = 0; 96000 + 19200 * k < 230000; ++k) beats.push_back(96000 + 19200 * k); // eighths at 75
  const std::int64_t delay = Player::monitorDelay(kRate);
  for (const std::int64_t b : beats) {
    // Silent before, sounding after: the onset is on the frame (a first sample of a sine is zero).
    std::int64_t onset = b + delay - 200;
    while (onset < b + delay + 400 && std::abs(got.left()[std::max<std::int64_t>(onset, 0)]) < 1e-6f) ++onset;
    INFO(b);
    if (b > 0) CHECK(std::abs(onset - (b + delay)) <= 1);
  }
  CHECK(largest(got) <= static_cast<float>(Decibels(-6).gain()) * 1.001f);
  // Pieces of any length give the same click.
  for (const ClickSound sound : kClickSounds)
    for (const int n : {1, 3}) {
      const Click click{sound, -6, 4, true, n};
      StereoBuffer whole(30000), parts(30000);
      addClick(plan->map(), click, Frames(-3000), whole.span());
      for (std::int64_t at = 0; at < 30000; at += 77)
        addClick(plan->map(), click, Frames(at - 3000), parts.span().part(at, std::min<std::int64_t>(77, 30000 - at)));
      CHECK(whole == parts);
    }
}

TEST_CASE(
    "every sound of the click is as loud as it is set, a bar's first beat by the accent louder, parts softer still",
    "[play]") {
  const TempoMap map({{Beats(0), 120}}, {{Beats(0), 4, 4}}, Seconds(0), kRate);
  for (const ClickSound sound : kClickSounds) {
    const Click click{sound, -12, 6, false, 2};
    StereoBuffer bar(96000);
    addClick(map, click, Frames(0), bar.span());
    const auto peakDb = [&](std::int64_t from) {
      return 20 * std::log10(std::abs(static_cast<double>(peakIn(bar.left(), from, from + 6000).value)));
    };
    INFO(static_cast<int>(sound));
    CHECK(peakDb(0) <= -12.0 + 0.01);
    CHECK(peakDb(0) > -12 - 3.5); // a decay takes some of it
    CHECK(peakDb(24000) == Approx(peakDb(0) - 6).margin(0.2));
    CHECK(peakDb(12000) == Approx(peakDb(0) - 12).margin(0.2));
    CHECK(std::equal(bar.left(), bar.left() + 96000, bar.right()));
  }
}

TEST_CASE("a count-in is the click alone, and the song comes in on its frame", "[play]") {
  TestSong t;
  t.song.tempo = {{Beats(0), 120}};
  t.stem("v", 480000, [](std::int64_t f, int) { return f % 2 == 0 ? 0.25f : -0.25f; }); // never silent
  Rig rig(t.plan());
  const std::int64_t delay = Player::monitorDelay(kRate);
  rig.player.setLoop(FrameRange{Frames(48000), Frames(96000)}); // before where it plays: no loop of the count-in
  rig.player.setClick(false, Click{ClickSound::tone, -20, 0});
  rig.player.play(Frames(144000), Frames(96000));
  CHECK(rig.player.position() == Frames(48000));
  const StereoBuffer got = rig.take(96000 + 20000);
  // Between the clicks there is nothing, until the fade before the frame.
  for (int beat = 0; beat < 4; ++beat) {
    CHECK(std::abs(peakIn(got.left(), delay + 24000 * beat, delay + 24000 * beat + 2000).value) > 0.05f);
    CHECK(std::abs(peakIn(got.left(), delay + 24000 * beat + 3000, delay + 24000 * (beat + 1) - 300).value) == 0);
  }
  CHECK(std::abs(peakIn(got.left(), delay + 95999, delay + 96001).value) > 0.24f);
  CHECK(std::abs(peakIn(got.left(), delay + 100000, delay + 115000).value) == Approx(0.25f).margin(1e-4));
  CHECK(std::abs(peakIn(got.left(), delay + 96000 + 100, delay + 96000 + 2000).value) ==
        Approx(0.25f).margin(1e-4)); // no click there
  CHECK(rig.player.position().count == Approx(144000 + 20000).margin(512));
}

TEST_CASE("monitoring is never louder than its limit", "[play]") {
  TestSong t;
  t.stem("v", 96000, noise(1, 4));
  Rig rig(t.plan());
  rig.player.setMonitorDb(12);
  rig.player.setClick(true, Click{ClickSound::tone, 0, 0});
  rig.player.play(Frames(0));
  CHECK(largest(rig.take(60000)) <= static_cast<float>(Decibels(-0.3).gain()) + 1e-6f);
}

TEST_CASE("a start over what still sounds stays within full scale", "[play]") {
  TestSong t;
  t.stem("v", 96000, sine(110, kRate, 4)); // held at the monitor's limit
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  float most = 0;
  for (int i = 0; i < 40; ++i) {
    most = std::max(most, largest(rig.take(1000 + 37 * i)));
    rig.player.play(Frames(50 * i)); // once more, wherever the former start is
  }
  CHECK(most <= 1); // 1.7 before: the new sound was whole when the old one had 0.8 of its level
  CHECK(most > 0.9f);
}

TEST_CASE("mono folds both sides", "[play]") {
  TestSong t;
  t.stem("v", 96000, [](std::int64_t f, int side) {
    return (side ? -1.0f : 0.5f) * static_cast<float>(std::sin(0.05 * static_cast<double>(f)));
  });
  Rig rig(t.plan());
  rig.player.setMono(true);
  rig.player.play(Frames(0));
  const StereoBuffer got = rig.take(9600);
  CHECK(std::equal(got.left(), got.left() + 9600, got.right()));
  CHECK(std::abs(peakIn(got.left(), 2000, 9600).value) == Approx(0.25f).margin(0.01f));
}

TEST_CASE("the song's end stops playing by itself, without a miss", "[play]") {
  TestSong t;
  t.stem("v", 24000, noise(1, 0.3));
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(72000);
  CHECK_FALSE(rig.player.playing());
  CHECK(rig.player.missedFrames() == 0);
  rig.player.play(Frames(0)); // and can begin again
  CHECK(largest(rig.take(9600)) > 0.2f);
}

TEST_CASE("a device that stalls, drops or disappears does not break the player", "[play]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  const auto plan = t.plan();
  Rig rig(plan);
  rig.player.play(Frames(0));
  rig.take(9600);
  rig.out.stall(true);
  rig.take(48000);
  CHECK(rig.player.position() == Frames(9600));
  rig.out.stall(false);
  rig.out.drop(3);
  const StereoBuffer got = rig.take(9600), want = mixOut(*plan, 0, 20000);
  CHECK(got.frames() == 9600 - 3 * 256);
  CHECK(agrees(got, 0, want, 9600 + 3 * 256 - Player::monitorDelay(kRate), 9600 - 3 * 256));
  rig.out.disappear();
  CHECK(rig.out.lost());
  CHECK(rig.take(9600).frames() == 0);
}

TEST_CASE("meters tell peak and momentary loudness", "[play]") {
  TestSong t;
  t.stem("v", 480000, sine(997, kRate, Decibels(-20).gain()));
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(48000);
  const Meters m = rig.player.takeMeters();
  CHECK(Decibels::ofGain(static_cast<double>(m.peakLeft)).value == Approx(-20).margin(0.1));
  CHECK(m.momentaryLufs == Approx(-20).margin(0.2));
  rig.player.stop();
  rig.take(4800);
  rig.player.takeMeters();
  rig.take(4800);
  CHECK(rig.player.takeMeters().peakLeft == 0);
}

TEST_CASE("stopped and played again before the mixer has taken either up, the song is heard", "[play]") {
  TestSong t;
  t.stem("v", 192000, sine(440, kRate, 0.3));
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(4800);
  rig.player.stop();
  StereoBuffer once(256);
  rig.player.fill(once.left(), once.right(), 256); // the device asks before the mixer's turn
  rig.player.play(Frames(48000));
  CHECK(rmsDb(rig.take(9600).left() + 4800, 4800) == Approx(-13.5).margin(0.1)); // was silent
}

TEST_CASE("what the device asked for and did not get is counted; alone, what has nothing to add is silent", "[play]") {
  TestSong t;
  t.stem("v", 480000, sine(440, kRate, 0.3));
  Rig rig(t.plan());
  rig.player.play(Frames(0));
  rig.take(4800);
  StereoBuffer much(96000);
  rig.player.fill(much.left(), much.right(), much.frames()); // more than is kept ready, without the mixer's turn
  std::int64_t silent = 0;
  while (silent < much.frames() && much.left()[much.frames() - 1 - silent] == 0) ++silent;
  CHECK(rig.player.missedFrames() > 48000);
  CHECK(std::abs(rig.player.missedFrames() - silent) <= 1); // the last frame there was may be one
  CHECK(rig.player.position() == Frames(4800 + 96000 - rig.player.missedFrames()));
  CHECK(rmsDb(rig.take(9600).left() + 4800, 4800) == Approx(-13.5).margin(0.1));
  rig.player.setAlone("none such");
  rig.take(4800);
  CHECK(largest(rig.take(4800)) == 0);
}

TEST_CASE("through a switch nothing is asked once it is disconnected", "[play][threads]") {
  struct Counting : AudioFeed {
    void fill(float*, float*, std::int64_t) noexcept override { ++asked; }
    std::int64_t asked = 0; // no atomic: the switch alone orders who touches it
  };
  FeedSwitch feed;
  std::atomic<std::int64_t> calls{0};
  std::jthread device([&](std::stop_token stop) {
    StereoBuffer b(64);
    while (!stop.stop_requested()) {
      b.left()[0] = 1;
      feed.fill(b.left(), b.right(), 64);
      ++calls;
    }
  });
  std::int64_t all = 0;
  for (int i = 0; i < 500; ++i) {
    Counting one;
    feed.connect(one);
    const std::int64_t before = calls;
    while (calls < before + 3) std::this_thread::yield();
    feed.disconnect();
    const std::int64_t asked = one.asked;
    one.asked = 0;
    all += asked;
    CHECK(asked >= 2);
    CHECK(one.asked == 0);
  }
  CHECK(all <= calls + 1);
}

TEST_CASE("playing in real time while editing: no miss, no race", "[play][threads]") {
  // The real threads: mixer, pool, a clocked output. Run under the thread sanitizer; nothing here asserts a time.
  const auto t = bigSong(6, 6, 12);
  Player player({kRate, 512, true});
  SimulatedOutput out(SimulatedOutput::Mode::realTime, 512);
  RenderPool pool(2);
  out.start(player, kRate);
  const auto use = [&] {
    const auto plan = t->plan();
    player.setPlan(plan);
    pool.setPlan(plan);
  };
  use();
  pool.waitUntilIdle();
  player.play(Frames(0));
  player.setLoop(FrameRange{Frames(0), Frames(144000)});
  for (int i = 0; i < 25; ++i) {
    t->ornaments[static_cast<std::size_t>(i) % t->ornaments.size()].gainDb = -i;
    use();
    if (i % 5 == 2) player.play(Frames(1000 * i));
    if (i % 7 == 3) player.setClick(i % 2 == 0, Click{});
    out.waitForPeriods(2);
  }
  pool.waitUntilIdle();
  player.stop();
  out.stop();
  CHECK(largest(out.recorded()) <= 1.0f);
  CHECK(rmsDb(out.recorded().left(), out.recorded().frames()) > -60);
}

TEST_CASE("whoever controls the player computes nothing and frees what it let go", "[play]") {
  TestSong t;
  t.stem("v", 192000, noise(1, 0.3));
  t.ornament("delay-throw", "v", 0, 1, {{"cut_at", 4.0}});
  Player player({kRate, 256, false});
  std::weak_ptr<const RenderPlan> former;
  {
    const auto first = t.plan();
    former = first;
    player.setPlan(first);
    player.pump(); // the mixer's turn
    const auto print = first->node("o1")->print;
    player.play(Frames(0));
    player.setLoop(FrameRange{Frames(0), Frames(48000)});
    player.play(Frames(30000)); // a seek
    player.setClick(true, Click{});
    player.setMonitorDb(-6);
    CHECK(print->ready() == print->first()); // before it was mended: mixed here, on the window's thread
    CHECK(player.playing());
    CHECK(player.position() == Frames(30000));
    player.pump();
    CHECK(print->ready() > print->first());
  }
  t.ornaments[0].settings["wet_db"] = -6.0;
  const auto second = t.plan();
  static_cast<void>(t.plan()); // the song's own chain of plans lets the first go
  player.setPlan(second);
  player.pump();
  CHECK_FALSE(former.expired()); // the mixer does not spend its time on freeing it
  static_cast<void>(player.takeMeters());
  CHECK(former.expired());
}
