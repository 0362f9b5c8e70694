#include "dsp/denormals.h"
#include "dsp/reverb.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;
constexpr ReverbCharacter kSpaces[] = {ReverbCharacter::plate, ReverbCharacter::room, ReverbCharacter::hall};
const char* nameOf(ReverbCharacter c) {
  return c == ReverbCharacter::plate  ? "plate"
         : c == ReverbCharacter::room ? "room"
         : c == ReverbCharacter::hall ? "hall"
                                      : "spring";
}

enum class Input { left, right, both };

StereoBuffer response(ReverbSettings s, double seconds, Input in = Input::both, double rate = kRate) {
  const FlushDenormals guard;
  StereoBuffer h(static_cast<std::int64_t>(seconds * rate));
  if (in != Input::right) h.left()[0] = 1;
  if (in != Input::left) h.right()[0] = 1;
  Reverb(s, rate).process(h.span());
  return h;
}

double energy(const float* x, std::int64_t n) {
  double e = 0;
  for (std::int64_t i = 0; i < n; ++i) e += static_cast<double>(x[i]) * x[i];
  return e;
}

} // namespace

TEST_CASE("the spaces decay in the time that is set", "[reverb][heavy]") {
  for (const auto character : kSpaces)
    for (const double decay : {0.1, 0.2, 0.35, 0.5, 1.0, 2.5, 6.0, 12.0})
      for (const double modulation : {0.0, 0.2, 1.0}) {
        const double tolerance = decay < 0.5 ? 0.10 : modulation > 0 ? 0.08 : 0.05;
        double mean[3] = {};
        for (const Input in : {Input::left, Input::right, Input::both})
          for (std::uint64_t seed = 1; seed <= 4; ++seed) {
            const auto h = response({character, decay, 0.5, 0, modulation, false, seed}, 0.9 * decay + 0.2, in);
            for (int k = 0; k < 3; ++k)
              mean[k] += decayTime(bandOf(h.left(), h.frames(), 500 << k, 1, kRate), kRate) / 12;
          }
        for (int k = 0; k < 3; ++k) {
          INFO(nameOf(character) << ", " << decay << " s, modulation " << modulation << ", " << (500 << k) << " Hz");
          CHECK(mean[k] == Approx(decay).epsilon(tolerance));
        }
      }
}

TEST_CASE("echoes can soon no longer be told apart", "[reverb]") {
  const double by[] = {0.060, 0.100, 0.200}; // plate, room, hall
  for (int c = 0; c < 3; ++c)
    for (const double decay : {1.0, 2.5, 12.0})
      for (std::uint64_t seed = 1; seed <= 4; ++seed) {
        const auto h = response({kSpaces[c], decay, 0.5, 0, 0.2, false, seed}, 0.6);
        for (double at = by[c]; at < 0.5; at += 0.05) {
          INFO(nameOf(kSpaces[c]) << ", " << decay << " s, seed " << seed << ", at " << at);
          // 960 samples: the share's own deviation is 1.5 points of 31.7, 0.047 of the measure; 0.9 holds for the mean
          // of both sides, one side is let off by one and a half deviations.
          const double l = echoDensity(h.left(), static_cast<std::int64_t>(at * kRate), kRate);
          const double r = echoDensity(h.right(), static_cast<std::int64_t>(at * kRate), kRate);
          CHECK(0.5 * (l + r) >= 0.9);
          CHECK(std::min(l, r) >= 0.83);
        }
      }
}

TEST_CASE("both sides of a space are as loud and unlike each other", "[reverb][heavy]") {
  for (const auto character : kSpaces)
    for (const double decay : {0.1, 0.3, 0.5, 1.0, 2.5, 12.0})
      for (const double modulation : {0.0, 0.2})
        for (std::uint64_t seed = 1; seed <= 4; ++seed) {
          const auto h = response({character, decay, 0.5, 0, modulation, false, seed}, 0.9 * decay + 0.3);
          INFO(nameOf(character) << ", " << decay << " s, modulation " << modulation << ", seed " << seed);
          const double l = energy(h.left(), h.frames()), r = energy(h.right(), h.frames());
          CHECK(std::abs(10 * std::log10(l / r)) < 0.5);
          const auto from = static_cast<std::int64_t>(0.1 * std::min(decay, 1.0) * kRate);
          double both = 0;
          for (std::int64_t i = from; i < h.frames(); ++i) both += static_cast<double>(h.left()[i]) * h.right()[i];
          CHECK(std::abs(both) < 0.2 * std::sqrt(energy(h.left() + from, h.frames() - from) *
                                                 energy(h.right() + from, h.frames() - from)));
        }
}

TEST_CASE("no narrow band is left ringing", "[reverb][heavy]") {
  // A band of 1/24 octave at 100 Hz has only a handful of independent values in a decay: one response says little, so
  // each band's time is the mean over what every input gives on both sides; modes that ring would be in all of them.
  const double decay = 2.5;
  for (const auto character : kSpaces)
    for (const double modulation : {0.0, 0.2})
      for (const std::uint64_t seed : {1, 2}) {
        std::vector<StereoBuffer> h;
        for (const Input in : {Input::left, Input::right, Input::both})
          h.push_back(response({character, decay, 0.5, 0, modulation, false, seed}, 3.0, in));
        for (double octave = 100; octave < 8000; octave *= 2) {
          std::vector<double> times;
          for (int k = 0; k < 24 && octave * std::exp2(k / 24.0) <= 8000; ++k) {
            double sum = 0;
            for (const StereoBuffer& one : h)
              for (const float* side : {one.left(), one.right()})
                sum += decayTime(bandOf(side, one.frames(), octave * std::exp2(k / 24.0), 1.0 / 24, kRate), kRate);
            times.push_back(sum / 6);
          }
          auto sorted = times;
          std::sort(sorted.begin(), sorted.end());
          INFO(nameOf(character) << ", modulation " << modulation << ", octave from " << octave << " Hz, seed "
                                 << seed);
          CHECK(sorted.back() < 1.2 * sorted[sorted.size() / 2]);
        }
      }
}

TEST_CASE("a space neither adds nor takes loudness, whatever its decay", "[reverb]") {
  for (const auto character : kSpaces)
    for (const double decay : {0.3, 1.0, 3.0, 10.0}) {
      const auto h = response({character, decay, 0.5, 0, 0, false, 1}, decay + 0.3);
      INFO(nameOf(character) << ", " << decay << " s");
      CHECK(10 * std::log10(energy(h.left(), h.frames())) == Approx(0).margin(1.6));
    }
}

TEST_CASE("damping shortens the highs and leaves the lows", "[reverb]") {
  for (const auto character : kSpaces) {
    const auto bare = response({character, 2, 0.5, 0, 0, false, 1}, 2.2);
    const auto damped = response({character, 2, 0.5, 1, 0, false, 1}, 2.2);
    const auto at = [&](const StereoBuffer& h, double hz) {
      return decayTime(bandOf(h.left(), h.frames(), hz, 1, kRate), kRate);
    };
    INFO(nameOf(character));
    CHECK(at(bare, 6000) == Approx(2).epsilon(0.05));
    CHECK(at(damped, 125) == Approx(2).epsilon(0.12));
    CHECK(at(damped, 6000) < 0.5);
    CHECK(at(damped, 6000) > 0.1);
  }
}

TEST_CASE("a held space neither dies nor grows", "[reverb][heavy]") {
  for (const auto character : kSpaces) {
    StereoBuffer x = fill(48000 * 20, only(0, 24000, noise(5, 0.5)));
    Reverb(ReverbSettings{character, 2.5, 0.5, 0.5, 0.2, true, 1}, kRate).process(x.span());
    const auto level = [&](double from) {
      const auto b = bandOf(x.left() + static_cast<std::int64_t>(from * kRate), 48000, 1000, 1, kRate);
      double e = 0;
      for (const double v : b) e += v * v;
      return 10 * std::log10(e);
    };
    INFO(nameOf(character));
    CHECK(level(18) == Approx(level(2)).margin(1));
    CHECK(largest(x) < 4);
  }
}

TEST_CASE("a spring answers a knock with chirps that fall behind as they rise in pitch", "[reverb]") {
  const auto h = response({ReverbCharacter::spring, 2, 0.5, 0, 0, false, 1}, 2.2);
  // First arrival: where a narrow band has had a tenth of its energy of the first 150 ms.
  const auto arrival = [&](double hz) {
    const auto b = bandOf(h.left(), 7200, hz, 0.3, kRate);
    double all = 0, sum = 0;
    for (const double v : b) all += v * v;
    for (std::size_t i = 0; i < b.size(); ++i)
      if ((sum += b[i] * b[i]) > 0.1 * all) return static_cast<double>(i) / kRate;
    return 1.0;
  };
  CHECK(arrival(3800) > arrival(2500) + 0.002);
  CHECK(arrival(2500) > arrival(900));
  const double t = decayTime(bandOf(h.left(), h.frames(), 1000, 1, kRate), kRate);
  CHECK(t == Approx(2).epsilon(0.15));
  // What is over the transition frequency is not there.
  const auto low = bandOf(h.left(), h.frames(), 1500, 1, kRate), high = bandOf(h.left(), h.frames(), 12000, 1, kRate);
  double el = 0, eh = 0;
  for (std::size_t i = 0; i < low.size(); ++i) {
    el += low[i] * low[i];
    eh += high[i] * high[i];
  }
  CHECK(10 * std::log10(eh / el) < -25);
}

TEST_CASE("a space gives the same samples whatever the sizes of the calls, and none that is not a number", "[reverb]") {
  for (const auto character :
       {ReverbCharacter::plate, ReverbCharacter::room, ReverbCharacter::hall, ReverbCharacter::spring})
    for (const double rate : {8000.0, 44100.0, 192000.0}) {
      const ReverbSettings s{character, 1.5, 0.3, 0.4, 0.7, false, 9};
      const StereoBuffer in = fill(20000, square(311, rate, 1));
      StereoBuffer whole = in, pieces = in;
      Reverb a(s, rate), b(s, rate);
      a.process(whole.span());
      std::int64_t at = 0;
      for (std::int64_t n = 1; at < in.frames(); n = n * 7 % 331 + 1) {
        b.process(pieces.span().part(at, std::min(n, in.frames() - at)));
        at += n;
      }
      INFO(nameOf(character) << " at " << rate);
      CHECK(whole == pieces);
      CHECK(std::isfinite(largest(whole)));
      CHECK(largest(whole) < 8);
      CHECK(largest(whole) > 0.05f);
    }
}
