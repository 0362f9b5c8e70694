// Attacks are found where they were put.
#include "dsp/measure/onsets.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

std::vector<Onset> onsetsOf(const Signal& s, std::int64_t frames, double rate = 48000, std::int64_t piece = 7000) {
  OnsetFinder f(rate);
  for (std::int64_t at = 0; at < frames; at += piece) {
    const std::int64_t n = std::min(piece, frames - at);
    const StereoBuffer b = fill(n, [&](std::int64_t i, int side) { return s(at + i, side); });
    f.add(b.left(), b.right(), n);
  }
  return f.finish();
}

/// Every label has one onset within `ms`, and there is no other.
void checkAgainst(const std::vector<Onset>& found, const std::vector<double>& seconds, double rate, double ms) {
  REQUIRE(found.size() == seconds.size());
  for (std::size_t i = 0; i < seconds.size(); ++i)
    CHECK(static_cast<double>(found[i].frame) / rate == Approx(seconds[i]).margin(ms / 1000));
}

const std::vector<double> kLabels = {0.3, 0.55, 0.9, 1.0, 1.713, 2.2};

/// Struck sounds: noise, or a tone, dying within 100 ms.
Signal struck(double level, double toneHz, double rate = 48000) {
  return [=](std::int64_t f, int side) {
    double v = 0;
    for (const double at : kLabels) {
      const double t = static_cast<double>(f) / rate - at;
      if (t < 0) continue;
      const double body = toneHz > 0 ? std::sin(2 * M_PI * toneHz * t) : static_cast<double>(noise(5, 1)(f, side));
      v += level * std::exp(-t / 0.03) * body;
    }
    return static_cast<float>(v);
  };
}

} // namespace

TEST_CASE("struck sounds are found within 3 ms, loud and soft, high and low", "[onsets]") {
  for (const double level : {0.8, 0.05})
    for (const double hz : {0.0, 180.0, 900.0, 6000.0}) {
      INFO(level << " at " << hz << " Hz");
      checkAgainst(onsetsOf(struck(level, hz), 3 * 48000), kLabels, 48000, 3);
    }
  for (const double rate : {22050.0, 44100.0, 96000.0}) {
    INFO(rate);
    checkAgainst(onsetsOf(struck(0.5, 700, rate), static_cast<std::int64_t>(3 * rate), rate), kLabels, rate, 3);
  }
}

TEST_CASE("struck sounds over a held bass and over noise are found", "[onsets]") {
  const Signal hits = struck(0.5, 0), bass = sine(55, 48000, 0.4), hiss = noise(8, 0.01);
  auto hissed = onsetsOf([&](std::int64_t f, int s) { return hits(f, s) + hiss(f, s); }, 3 * 48000);
  REQUIRE_FALSE(hissed.empty());
  CHECK(hissed.front().frame < 48); // the hiss itself begins
  hissed.erase(hissed.begin());
  checkAgainst(hissed, kLabels, 48000, 3);
  const auto over =
      onsetsOf([&](std::int64_t f, int s) { return hits(f, s) + (f < 9600 ? 0 : bass(f, s)); }, 3 * 48000);
  REQUIRE(over.size() == kLabels.size() + 1); // the bass itself begins at 0.2 s
  for (std::size_t i = 0; i < kLabels.size(); ++i)
    CHECK(static_cast<double>(over[i + 1].frame) / 48000 == Approx(kLabels[i]).margin(0.003));
}

TEST_CASE("what is steady has no attacks but its begin, silence none", "[onsets]") {
  CHECK(onsetsOf(silence(), 48000).empty());
  CHECK(onsetsOf(noise(2, 0.3), 3 * 48000).size() <= 1);
  CHECK(onsetsOf(sine(60, 48000, 0.5), 3 * 48000).size() <= 1);
  const Signal two = [](std::int64_t f, int) { // two tones that beat
    const double t = static_cast<double>(f) / 48000;
    return static_cast<float>(0.3 * std::sin(2 * M_PI * 220 * t) + 0.3 * std::sin(2 * M_PI * 223 * t));
  };
  CHECK(onsetsOf(two, 3 * 48000).size() <= 1);
}

TEST_CASE("onsets do not depend on how the sound was handed over", "[onsets]") {
  const auto a = onsetsOf(struck(0.5, 500), 3 * 48000, 48000, 48000 * 3),
             b = onsetsOf(struck(0.5, 500), 3 * 48000, 48000, 113);
  REQUIRE(a.size() == b.size());
  for (std::size_t i = 0; i < a.size(); ++i) CHECK(a[i].frame == b[i].frame);
}
