// Stretching: attacks whole and in their place, tones and chords clean, the same bits in any order.
#include "dsp/measure/attack_scan.h"
#include "dsp/speed/stretch.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <utility>
#include <vector>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

StereoBuffer stretched(const Signal& signal, double ratio, double pitch, std::int64_t frames, double rate = kRate) {
  Stretch s(rate, ratio, pitch, feedOf(signal));
  StereoBuffer out(frames);
  for (std::int64_t at = 0; at < frames; at += 1000)
    s.read(at, out.span().part(at, std::min<std::int64_t>(1000, frames - at)));
  return out;
}

/// From frame 0 on.
Signal tones(std::vector<double> hz, double rate = kRate) {
  return [hz = std::move(hz), rate](std::int64_t f, int) {
    double sum = 0;
    for (std::size_t k = 0; f >= 0 && k < hz.size(); ++k)
      sum += 0.2 * std::sin(2 * std::numbers::pi * hz[k] / rate * static_cast<double>(f) + static_cast<double>(k * k));
    return static_cast<float>(sum);
  };
}

/// 0.9 ms of rise, then it dies away.
Signal hitsAt(std::int64_t every, double hz, double decayFrames) {
  return [=](std::int64_t f, int) {
    const std::int64_t n = f < 0 ? -1 : f % every;
    if (n < 0) return 0.0f;
    const double t = static_cast<double>(n);
    return static_cast<float>(0.8 * std::min(1.0, t / 43) * std::exp(-t / decayFrames) *
                              std::sin(2 * std::numbers::pi * hz / kRate * t));
  };
}

/// Frames from a tenth of the envelope's height (0.5 ms) to its top.
std::int64_t riseOf(const float* x, std::int64_t from, std::int64_t to) {
  std::vector<double> e;
  for (std::int64_t i = from; i < to; ++i) e.push_back(rmsDb(x + i - 12, 24));
  const auto top = std::max_element(e.begin(), e.end());
  auto begin = top;
  while (begin != e.begin() && *begin > *top - 20) --begin;
  return top - begin;
}

} // namespace

TEST_CASE("Stretched or at another pitch, none of twenty clicks is lost, doubled, early or late", "[stretch]") {
  const struct {
    double rate, ratio, pitch;
  } cases[] = {{48000, 2, 1},     {48000, 3, 1},     {44100, 1.5, 1},  {96000, 2, 1},   {22050, 4, 1},
               {48000, 1, 1.335}, {48000, 1, 0.749}, {44100, 1, 0.5},  {96000, 1, 2},   {48000, 1, 4},
               {48000, 1, 0.25},  {48000, 2, 0.5},   {48000, 1, 1.02}, {192000, 2, 1.5}};
  for (const auto& c : cases) {
    INFO(c.rate << " Hz, " << c.ratio << " times, pitch " << c.pitch);
    const auto every = static_cast<std::int64_t>(0.12 * c.rate) + 1;
    const StereoBuffer y =
        stretched([&](std::int64_t f, int) { return f >= 0 && f < 20 * every && f % every == 0 ? 0.9f : 0.0f; },
                  c.ratio, c.pitch, static_cast<std::int64_t>(20 * static_cast<double>(every) * c.ratio), c.rate);
    const double drawn = std::max(1.0, 1 / c.pitch); // read slower, a click is longer
    const auto near = static_cast<std::int64_t>(0.002 * c.rate * drawn * drawn);
    float loudest = 0, beside = 0;
    for (int k = 0; k < 20; ++k) {
      const auto at = std::llround(static_cast<double>(k * every) * c.ratio);
      const std::int64_t end = std::llround(static_cast<double>((k + 1) * every) * c.ratio);
      const PeakAt p = peakIn(y.left(), std::max<std::int64_t>(0, at - near), at + near);
      CHECK(std::abs(static_cast<double>(p.frame - at)) <= std::max(1.0, 0.5 * drawn));
      // At another pitch it lies between two frames, and without what is over the band.
      CHECK(p.value > static_cast<float>(c.pitch == 1 ? 0.88 : 0.55 / std::max(1.0, c.pitch)));
      loudest = std::max(loudest, p.value);
      if (end - near > at + near) beside = std::max(beside, std::abs(peakIn(y.left(), at + near, end - near).value));
    }
    CHECK(20 * std::log10(beside / loudest + 1e-9f) < -60);
  }
}

TEST_CASE("A hit's attack of 0.9 ms stays under 2 ms, and nothing is heard before it", "[stretch][heavy]") {
  for (const auto& [ratio, pitch] : {std::pair{2.0, 1.0}, {3.0, 1.0}, {1.5, 1.0}, {1.0, 1.335}, {1.0, 0.749}})
    for (const double hz : {900.0, 2400.0})
      for (const double decay : {800.0, 8000.0}) {
        INFO(ratio << " times, pitch " << pitch << ", " << hz << " Hz");
        const StereoBuffer y =
            stretched(hitsAt(24000, hz, decay), ratio, pitch, static_cast<std::int64_t>(80000 * ratio));
        for (int k = 1; k < 3; ++k) {
          const auto at = static_cast<std::int64_t>(24000 * k * ratio);
          CHECK(riseOf(y.left(), at - 2400, at + 480) <= 96);
          const float top = std::abs(peakIn(y.left(), at, at + 960).value);
          CHECK(top == Approx(0.75f).margin(0.06f));
          // To 0.75 ms before it: what the hit before it has left is no more than it was.
          const float left = std::abs(peakIn(y.left(), at - 4800, at - 36).value);
          CHECK(20 * std::log10(left / top + 1e-9f) <
                std::max(-60.0, 20 * std::log10(std::exp(-(24000 - 4800 / ratio - 3000) / decay)) + 3));
        }
      }
}

TEST_CASE("A tone goes on through a click as if there were none", "[stretch]") {
  for (const auto& [ratio, pitch] : {std::pair{2.0, 1.0}, {3.0, 1.0}, {1.0, 1.335}, {1.0, 0.5}, {1.0, 2.0}}) {
    INFO(ratio << " times, pitch " << pitch);
    const Signal tone = tones({440});
    const StereoBuffer y = stretched([&](std::int64_t f, int side) { return f == 96000 ? 0.9f : tone(f, side); }, ratio,
                                     pitch, static_cast<std::int64_t>(144000 * ratio));
    const auto at = static_cast<std::int64_t>(96000 * ratio);
    const double hz = 440 * pitch;
    // Its phase and level in 50 ms right before and right after.
    const auto bin = [&](std::int64_t from) {
      std::complex<double> sum;
      for (std::int64_t i = 0; i < 2400; ++i)
        sum += static_cast<double>(y.left()[from + i]) *
               (1 - std::cos(2 * std::numbers::pi * static_cast<double>(i) / 2400)) *
               std::polar(1.0, -2 * std::numbers::pi * hz / kRate * static_cast<double>(from + i));
      return sum;
    };
    const std::complex<double> turned = bin(at + 240) / bin(at - 2640);
    CHECK(std::abs(std::arg(turned)) < 0.02);
    CHECK(std::abs(turned) == Approx(1).margin(0.03));
  }
}

TEST_CASE("Tones and chords keep clean", "[stretch][heavy]") {
  const auto beside = [](const std::vector<double>& hz, double ratio, double pitch) {
    const StereoBuffer y = stretched(tones(hz), ratio, pitch, 96000);
    std::vector<double> at;
    for (const double h : hz) at.push_back(h * pitch);
    return fitTones(y.left() + 48000, 36000, at, kRate).besideDb;
  };
  for (const auto& [ratio, pitch] : {std::pair{2.0, 1.0},
                                     {1.5, 1.0},
                                     {1.0, std::exp2(5 / 12.0)},
                                     {1.0, std::exp2(-5 / 12.0)},
                                     {1.0, 2.0},
                                     {1.0, 0.5}}) {
    INFO(ratio << " times, pitch " << pitch);
    for (const double hz : {110.0, 440.0, 1500.0, 5000.0}) CHECK(beside({hz}, ratio, pitch) < -75); // wanted: −60
    CHECK(beside({220, 277.18, 329.63}, ratio, pitch) < -48);                                       // wanted: −45
    CHECK(beside({261.63, 329.63, 392}, ratio, pitch) < -48);
  }
}

TEST_CASE("Nothing folds back when the pitch rises", "[stretch]") {
  for (const auto& [hz, pitch] : {std::pair{15000.0, 2.0}, {9000.0, 4.0}, {20000.0, 1.335}}) {
    const StereoBuffer y = stretched(tones({hz}), 1, pitch, 72000);
    CHECK(rmsDb(y.left() + 24000, 36000) - rmsDb(stretched(tones({hz / 8}), 1, pitch, 72000).left() + 24000, 36000) <
          -80);
  }
}

TEST_CASE("Sides that are each other's opposite stay so", "[stretch]") {
  const Signal one = noise(7, 0.3);
  const StereoBuffer y =
      stretched([&](std::int64_t f, int side) { return side == 0 ? one(f, 0) : -one(f, 0); }, 1, 1.335, 48000);
  double worst = 0;
  for (std::int64_t i = 0; i < 48000; ++i)
    worst = std::max(worst, static_cast<double>(std::abs(y.left()[i] + y.right()[i])));
  CHECK(worst < 1e-6);
  CHECK(rmsDb(y.left() + 12000, 24000) > -20);
}

TEST_CASE("What is stretched is the same bits in any order, begun anew, and with what may be read again", "[stretch]") {
  const Signal base = noise(5, 0.1), hits = hitsAt(9000, 700, 900);
  const Signal in = [&](std::int64_t f, int side) { return f < 0 ? 0.0f : base(f, side) + hits(f, side); };
  for (const bool glides : {false, true})
    for (const auto& [ratio, pitch] : {std::pair{2.0, 1.0}, {1.0, 1.335}, {1.5, 0.7}}) {
      INFO(ratio << " times, pitch " << pitch << (glides ? ", gliding" : ""));
      const auto make = [&](std::int64_t back) {
        Stretch s(kRate, ratio, pitch, feedOf(in), back);
        if (glides)
          s.follow([p = pitch](std::int64_t f) { return p * (1 + 0.3 * std::sin(static_cast<double>(f) / 20000)); });
        return s;
      };
      Stretch once = make(0), other = make(0), kept = make(20000);
      StereoBuffer whole(90000), part(4000);
      once.begin(9000);
      once.read(0, whole.span());
      other.begin(2000);
      other.read(0, part.span());
      other.begin(9000);
      kept.begin(9000);
      for (const std::int64_t at : {0, 4000, 41000, 30000, 86000, 77, 60000}) {
        for (Stretch* s : {&other, &kept}) {
          s->read(at, part.span());
          std::int64_t differ = 0;
          for (std::int64_t i = 0; i < 4000; ++i)
            differ += static_cast<std::int64_t>(part.left()[i] != whole.left()[at + i] ||
                                                part.right()[i] != whole.right()[at + i]);
          INFO("from " << at);
          CHECK(differ == 0);
        }
      }
    }
}

TEST_CASE("What is stretched on several threads is the same bits", "[stretch][threads]") {
  // Attacks, a tone, 2 s of nothing, and an end: longer than what is laid at once.
  const auto frames = static_cast<std::int64_t>(kRate) * (kSanitized ? 4 : 8);
  const Signal hits = hitsAt(7000, 900, 1500), tone = tones({110, 440, 1711});
  const StereoBuffer in = fill(frames, [&](std::int64_t f, int side) {
    return f > 60000 && f < 156000 ? 0.0f : hits(f, side) + (side == 0 ? 0.5f : 1.0f) * tone(f, side);
  });
  for (const auto& [ratio, pitch] :
       {std::pair{1.0, std::exp2(4 / 12.0)}, {1.0, std::exp2(-7 / 12.0)}, {2.0, 1.0}, {1.5, 2.0}}) {
    CAPTURE(ratio, pitch);
    const auto make = [&] {
      return Stretch(kRate, ratio, pitch, [&](std::int64_t from, StereoSpan out) { in.read(from, out); });
    };
    StereoBuffer one(frames), more(frames);
    make().read(0, one.span());
    CHECK(rmsDb(one.left(), frames) > -40);
    for (const int threads : {2, 5}) {
      make().readOn(threads, 0, more.span());
      CHECK(more == one);
    }
    // Read on from somewhere, by turns.
    Stretch turns = make();
    const std::int64_t to = 3 * 1024, rest = frames - 2 * to;
    turns.readOn(2, to, more.span().part(to, to));
    turns.read(2 * to, more.span().part(2 * to, to));
    turns.readOn(2, 3 * to, more.span().part(3 * to, rest - to));
    CHECK(std::equal(more.left() + to, more.left() + rest, one.left() + to));
    if (kSanitized && ratio > 1) break; // one of each way is enough for them
  }
}

TEST_CASE("A pitch that glides is where it should be at every moment", "[stretch]") {
  // From an octave up to an octave down: a tone is compared with the phase that its pitch adds up to.
  Stretch s(kRate, 1, 1, feedOf(tones({600})));
  const auto pitch = [](std::int64_t f) { return std::exp2(1 - 2 * std::min(1.0, static_cast<double>(f) / 144000)); };
  s.follow(pitch);
  StereoBuffer y(144000);
  s.read(0, y.span());
  double phase = 0;
  for (std::int64_t at = 0; at + 1200 <= 144000; at += 1200) {
    std::complex<double> sum;
    double turned = phase, power = 0;
    for (std::int64_t i = 0; i < 1200; ++i) {
      sum += static_cast<double>(y.left()[at + i]) * std::polar(1.0, -turned);
      power += std::pow(static_cast<double>(y.left()[at + i]), 2);
      turned += 2 * std::numbers::pi * 600 / kRate * pitch(at + i);
    }
    phase = std::fmod(turned, 2 * std::numbers::pi);
    if (at < 6000) continue;
    // All but 1 % of its power turns as it should, in whatever phase.
    INFO(at);
    CHECK(2 * std::norm(sum) / 1200 / power > 0.98);
  }
}

TEST_CASE("Attacks are found wherever the looking begins; steady sounds have none", "[stretch]") {
  const auto found = [](const Signal& signal, std::int64_t from, std::int64_t frames) {
    AttackScan scan(kRate);
    scan.begin(from);
    StereoBuffer block(256);
    for (std::int64_t at = from; at < from + frames; at += 256) {
      feedOf(signal)(at, block.span());
      scan.add(block.span());
    }
    std::vector<std::int64_t> all;
    for (auto a = scan.next(from + scan.runUp()); a.frame != AttackScan::kNone; a = scan.next(a.frame + 1))
      all.push_back(a.frame + scan.margin());
    return all;
  };
  const Signal hits = hitsAt(7001, 900, 900), hiss = noise(3, 0.02);
  const Signal both = [&](std::int64_t f, int side) { return hits(f, side) + hiss(f, side); };
  const auto all = found(both, 0, 200000);
  CHECK(all.size() == 28); // 27 inside, and the last that is known; the first lies in the run-up
  for (std::size_t i = 0; i < all.size(); ++i) CHECK(std::abs(all[i] - 7001 * static_cast<std::int64_t>(i + 1)) <= 48);
  for (const std::int64_t from : {12345, 30001, 70007}) {
    const auto later = found(both, from, 200000 - from);
    CHECK(std::equal(later.rbegin(), later.rend(), all.rbegin()));
    CHECK(later.size() >= 17);
  }
  CHECK(found(noise(4, 0.3), 0, 480000).empty());
  CHECK(found(tones({55, 82.4, 110.2}), 4800, 240000).empty());
  // A voice: pulses 90 times a second through a formant.
  double y1 = 0, y2 = 0;
  std::vector<float> voice;
  for (int i = 0; i < 96000; ++i) {
    const double y = (i % 533 == 0 ? 0.3 : 0) + 1.98 * y1 - 0.986 * y2;
    y2 = std::exchange(y1, y);
    voice.push_back(static_cast<float>(y));
  }
  CHECK(found([&](std::int64_t f, int) { return voice[static_cast<std::size_t>(f % 96000)]; }, 24000, 60000).empty());
}
