// Echoes with a pitch step: without one what an echo loop gives; with one, clean tones and whole attacks in their
// place.
#include "dsp/delay/shifted_sound.h"
#include "dsp/delay/stepped_echoes.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <thread>
#include <vector>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

StereoBuffer stepped(const EchoSettings& s, const Signal& in, std::int64_t sent, std::int64_t frames,
                     const std::function<double(int)>& semitones) {
  SteppedEchoes echoes(s, kRate, feedOf(in), sent, semitones);
  StereoBuffer out(frames);
  for (std::int64_t at = 0; at < frames; at += 1000)
    echoes.render(out.span().part(at, std::min<std::int64_t>(1000, frames - at)));
  return out;
}

/// Half a second and more of noise sent, asked for in pieces of these sizes, again and again.
StereoBuffer pieces(const EchoSettings& s, const Signal& in, const std::vector<std::int64_t>& sizes) {
  SteppedEchoes echoes(s, kRate, feedOf(in), 9000, [](int pass) { return 4.0 * pass; });
  StereoBuffer out(30000);
  std::size_t k = 0;
  for (std::int64_t at = 0; at < out.frames();) {
    const std::int64_t n = std::min(sizes[k++ % sizes.size()], out.frames() - at);
    echoes.render(out.span().part(at, n));
    at += n;
  }
  return out;
}

StereoBuffer looped(const EchoSettings& s, const Signal& in, std::int64_t sent, std::int64_t frames) {
  EchoLoop loop(s, kRate);
  StereoBuffer io(frames);
  for (std::int64_t i = 0; i < sent; ++i) {
    io.left()[i] = in(i, 0);
    io.right()[i] = in(i, 1);
  }
  loop.process(io.span());
  return io;
}

double differenceDb(const StereoBuffer& a, const StereoBuffer& b) {
  double rest = 0, all = 0;
  for (std::int64_t i = 0; i < a.frames(); ++i)
    for (const auto& [x, y] : {std::pair(a.left()[i], b.left()[i]), {a.right()[i], b.right()[i]}}) {
      rest += std::pow(static_cast<double>(x) - static_cast<double>(y), 2);
      all += std::pow(static_cast<double>(y), 2);
    }
  return 10 * std::log10(rest / all);
}

} // namespace

TEST_CASE("Stepped by nothing, echoes are those of the loop", "[echo][step]") {
  const Signal hiss = noise(3, 0.2), tone = sine(523, kRate, 0.2);
  const Signal in = [&](std::int64_t f, int side) { return side == 0 ? hiss(f, 0) : tone(f, 0); };
  const auto none = [](int) { return 0.0; };
  EchoSettings plain;
  plain.timeLeft = 9000;
  plain.timeRight = 13000;
  plain.feedback = {0.7, 0.6};
  for (const EchoPattern pattern : {EchoPattern::straight, EchoPattern::cross, EchoPattern::pingPong}) {
    INFO(static_cast<int>(pattern));
    EchoSettings s = plain;
    s.pattern = pattern;
    CHECK(differenceDb(stepped(s, in, 20000, 96000, none), looped(s, in, 20000, 96000)) < -100);
    s.lowCutHz = {200.0, std::nullopt};
    s.highCutHz = {5000.0, 2500.0};
    CHECK(differenceDb(stepped(s, in, 20000, 96000, none), looped(s, in, 20000, 96000)) < -80);
    // A feedback that moves, over 1 for a while, under a ceiling that is not met.
    s.ceiling = 8;
    s.moving = [](std::int64_t at, float* l, float* r, std::int64_t n) {
      for (std::int64_t i = 0; i < n; ++i) {
        l[i] = static_cast<float>(0.8 + 0.3 * std::sin(static_cast<double>(at + i) / 9000));
        r[i] = 0.5f * l[i];
      }
    };
    CHECK(differenceDb(stepped(s, in, 20000, 96000, none), looped(s, in, 20000, 96000)) < -55); // in cells
  }
  // Driven, with a wobble: each time round as often.
  EchoSettings s = plain;
  s.drive = 0.4;
  s.driveReference = 0.5;
  s.lowCutHz = {150.0, 150.0};
  // Passes that do not meet, as a loop drives their sum; its make-up remembers the pass before.
  CHECK(differenceDb(stepped(s, in, 8000, 60000, none), looped(s, in, 8000, 60000)) < -38);
  s = plain;
  s.swing = 150;
  s.flutter = 1;
  s.phase = {1, 2, 3, 4};
  CHECK(differenceDb(stepped(s, tone, 20000, 60000, none), looped(s, tone, 20000, 60000)) < -35);
}

TEST_CASE("With a pitch step each of twenty clicks is echoed once, in its place, at every pass", "[echo][step]") {
  EchoSettings s;
  s.timeLeft = s.timeRight = 144000;
  s.feedback = {0.5, 0.5};
  const Signal clicks = [](std::int64_t f, int side) {
    return f >= 0 && f < 20 * 6003 && f % 6003 == 100 ? (side == 0 ? 0.8f : -0.8f)
                                                      : 0.0f; // sides each other's opposite
  };
  for (const double step : {5.0, -5.0, 12.0, -2.0}) {
    const StereoBuffer y = stepped(s, clicks, 20 * 6003, 144000 * 4, [&](int pass) { return pass * step; });
    for (int pass = 1; pass <= 3; ++pass) {
      const double ratio = std::exp2(pass * step / 12), drawn = std::max(1.0, 1 / ratio);
      float loudest = 0, beside = 0;
      std::int64_t worst = 0;
      for (int k = 0; k < 20; ++k) {
        const std::int64_t at = 144000 * pass + 6003 * k + 100, near = std::llround(96 * drawn * drawn);
        const PeakAt p = peakIn(y.left(), at - near, at + near);
        worst = std::max(worst, std::abs(p.frame - at));
        loudest = std::max(loudest, p.value);
        CHECK(p.value > static_cast<float>(0.8 * std::pow(0.5, pass - 1) * 0.55 / std::max(1.0, ratio)));
        if (k < 19) beside = std::max(beside, std::abs(peakIn(y.left(), at + near, at + 6003 - near).value));
      }
      INFO("step " << step << ", pass " << pass);
      CHECK(worst <= 2); // wanted: 96
      CHECK(beside < 0.001f * loudest);
    }
    double sides = 0;
    for (std::int64_t i = 0; i < y.frames(); ++i)
      sides = std::max(sides, static_cast<double>(std::abs(y.left()[i] + y.right()[i])));
    CHECK(sides < 1e-6);
  }
}

TEST_CASE("With a pitch step a tone's passes are clean tones at their pitch and level", "[echo][step]") {
  EchoSettings s;
  s.timeLeft = s.timeRight = 72000;
  s.feedback = {0.5, 0.5};
  for (const double step : {5.0, -5.0, 12.0}) {
    const StereoBuffer y = stepped(s, sine(440, kRate, 0.5), 48000, 72000 * 5, [&](int pass) { return pass * step; });
    for (int pass = 1; pass <= 4; ++pass) {
      const double hz = 440 * std::exp2(pass * step / 12);
      const FittedTones fit = fitTones(y.left() + 72000 * pass + 12000, 24000, {hz}, kRate);
      INFO("step " << step << ", pass " << pass);
      CHECK(fit.besideDb < -80); // wanted: −60
      CHECK(20 * std::log10(fit.levels[0] / (0.5 * std::pow(0.5, pass - 1))) == Approx(0).margin(0.05));
    }
  }
}

TEST_CASE("However far the feedback goes, stepped echoes stay under their ceiling and come down again",
          "[echo][step]") {
  EchoSettings s;
  s.timeLeft = s.timeRight = 4000;
  s.driveReference = 0.5;
  s.ceiling = 0.5;
  s.moving = [](std::int64_t at, float* l, float* r, std::int64_t n) {
    for (std::int64_t i = 0; i < n; ++i) l[i] = r[i] = at + i < 60000 ? 1.8f : 0.5f;
  };
  const StereoBuffer y =
      stepped(s, noise(3, 0.5), 8000, 120000, [](int pass) { return std::remainder(7.0 * pass, 24.0); });
  CHECK(std::abs(peakIn(y.left(), 0, 120000).value) <= 0.5f);
  CHECK(rmsDb(y.left() + 50000, 8000) > -20);
  CHECK(rmsDb(y.left() + 110000, 8000) < -60); // a dozen passes at a half
}

TEST_CASE("What stepped echoes give does not depend on how much is asked for at a time", "[echo][step]") {
  EchoSettings s;
  s.timeLeft = 3000.5;
  s.timeRight = 4100;
  s.pattern = EchoPattern::cross;
  s.drive = 0.5;
  s.driveReference = 0.5;
  s.ceiling = 0.4;
  s.swing = 60;
  s.flutter = 1;
  s.highCutHz = {6000.0, 4000.0};
  s.moving = [](std::int64_t at, float* l, float* r, std::int64_t n) {
    for (std::int64_t i = 0; i < n; ++i)
      l[i] = r[i] = static_cast<float>(0.7 + 0.2 * std::sin(static_cast<double>(at + i) / 3000));
  };
  const Signal hiss = noise(3, 0.5);
  const auto in = pieces(s, hiss, {30000}), other = pieces(s, hiss, {1, 77, 256, 1000, 4097, 13});
  CHECK(in == other);
}

TEST_CASE("A shifted sound is made once for all who ask, on any thread, and forgotten when many others came",
          "[step][threads]") {
  const auto made = [](std::uint64_t seed) {
    return std::make_shared<const StereoBuffer>(fill(24000, noise(seed, 0.3)));
  };
  const auto whole = [](ShiftedSound& sound) {
    StereoBuffer out(30000);
    sound.read(-500, out.span());
    return out;
  };
  const auto one = ShiftedSound::of(made(1), 5, kRate);
  CHECK(ShiftedSound::of(made(1), 5, kRate) == one); // known by what it holds
  CHECK(ShiftedSound::of(made(1), 7, kRate) != one);
  CHECK(ShiftedSound::of(made(2), 5, kRate) != one);
  ShiftedSound alone(made(1), 5, kRate);
  const StereoBuffer wanted = whole(alone);
  std::vector<StereoBuffer> got(4);
  std::vector<std::thread> threads;
  for (StereoBuffer& g : got) threads.emplace_back([&] { g = whole(*one); });
  for (std::thread& t : threads) t.join();
  for (const StereoBuffer& g : got) CHECK(g == wanted);
  // 64 MB are some 220 of these.
  for (int i = 0; i < 300; ++i) ShiftedSound::of(made(3), -24 + 0.1 * i, kRate);
  CHECK(ShiftedSound::of(made(1), 5, kRate) != one);
}
