// The variable-speed reader, the curve that drives it, and the crossover.
#include "dsp/filter/crossover.h"
#include "dsp/speed/speed_reader.h"
#include "ornaments/speed_curve.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr double kRate = 48000;

/// A sine by its frame, at any place.
SpeedReader::Feed sineFeed(double hz) {
  return [hz](std::int64_t from, StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const double x = std::sin(2 * std::numbers::pi * hz / kRate * static_cast<double>(from + i));
      out.left[i] = static_cast<float>(0.5 * x);
      out.right[i] = static_cast<float>(-0.5 * x);
    }
  };
}

/// What is left of the output beside the sine it should be, dB under it. The sine's level and phase are fitted, so that
/// a smooth pass band is not counted.
double otherThanDb(const std::vector<double>& phase, const float* x) {
  double ss = 0, sc = 0, cc = 0, xs = 0, xc = 0;
  const std::size_t n = phase.size();
  for (std::size_t i = 0; i < n; ++i) {
    const double s = std::sin(phase[i]), c = std::cos(phase[i]), v = static_cast<double>(x[i]);
    ss += s * s;
    sc += s * c;
    cc += c * c;
    xs += v * s;
    xc += v * c;
  }
  const double det = ss * cc - sc * sc, a = (xs * cc - xc * sc) / det, b = (xc * ss - xs * sc) / det;
  double rest = 0, all = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const double wanted = a * std::sin(phase[i]) + b * std::cos(phase[i]), v = static_cast<double>(x[i]);
    rest += (v - wanted) * (v - wanted);
    all += wanted * wanted;
  }
  return 10 * std::log10(rest / all + 1e-20);
}

struct Reading {
  std::vector<double> positions, speeds, phase;
  StereoBuffer out;
};

Reading readSine(double hz, std::int64_t frames, const std::function<double(std::int64_t)>& speedAt) {
  Reading r;
  double p = 1000.25;
  for (std::int64_t i = 0; i < frames; ++i) {
    const double v = speedAt(i);
    r.positions.push_back(p);
    r.speeds.push_back(v);
    r.phase.push_back(2 * std::numbers::pi * hz / kRate * p);
    p += v;
  }
  r.out.resize(frames);
  SpeedReader reader(sineFeed(hz));
  for (std::int64_t at = 0; at < frames; at += 1024) {
    const std::int64_t n = std::min<std::int64_t>(1024, frames - at);
    reader.read(r.positions.data() + at, r.speeds.data() + at, r.out.span().part(at, n));
  }
  return r;
}

} // namespace

TEST_CASE("a sine read at any speed is a sine alone: the rest is 96 dB down to 15 kHz, 90 dB to 18 kHz", "[speed]") {
  for (const double v : {-4.0, -2.0, -1.0, -0.3, 0.06, 0.25, 0.5, 0.77, 0.9999, 1.0, 1.0001, 1.37, 2.0, 3.1, 4.0})
    for (const double out : {110.0, 997.0, 5003.0, 9973.0, 15000.0, 18000.0}) {
      const double hz = out / std::max(1.0, std::abs(v));
      const Reading r = readSine(hz, 12000, [&](std::int64_t) { return v; });
      INFO(v << " times, " << hz << " Hz");
      CHECK(otherThanDb(r.phase, r.out.left()) < (out > 15000 ? -90 : -96));
      // Both sides are read at the same place: mirrored in, mirrored out.
      double off = 0;
      for (std::int64_t i = 0; i < 12000; ++i)
        off = std::max(off, std::abs(static_cast<double>(r.out.left()[i]) + static_cast<double>(r.out.right()[i])));
      CHECK(off == 0);
    }
}

TEST_CASE("the level of what is read is flat to 18 kHz within 0.1 dB, faster ones lowered by nothing", "[speed]") {
  for (const double v : {0.1, 0.5, 1.0, 1.5, 3.0})
    for (const double out : {100.0, 1000.0, 8000.0, 15000.0, 18000.0}) {
      const double hz = out / std::max(1.0, v);
      const Reading r = readSine(hz, 24000, [&](std::int64_t) { return v; });
      double power = 0;
      for (std::int64_t i = 0; i < 24000; ++i) power += static_cast<double>(r.out.left()[i]) * r.out.left()[i];
      double wanted = 0;
      for (const double p : r.phase) wanted += 0.25 * std::sin(p) * std::sin(p);
      INFO(v << " times, " << hz << " Hz");
      CHECK(10 * std::log10(power / wanted) == Approx(0).margin(0.1));
    }
}

TEST_CASE("a speed that glides keeps the sine clean, through standing still and backwards too", "[speed]") {
  const std::function<double(std::int64_t)> glides[] = {
      [](std::int64_t i) { return 1 - static_cast<double>(i) / 24000; },
      [](std::int64_t i) { return 1 - 3 * static_cast<double>(i) / 24000; },
      [](std::int64_t i) { return 0.5 + 1.5 * static_cast<double>(i) / 24000; },
      [](std::int64_t i) { return 4 * std::cos(static_cast<double>(i) / 2000); }};
  for (const auto& glide : glides)
    for (const double hz : {440.0, 3500.0}) {
      const Reading r = readSine(hz, 24000, glide);
      CHECK(otherThanDb(r.phase, r.out.left()) < -90);
    }
}

TEST_CASE("at normal speed on whole frames the reader changes no bit, and a constant stays one", "[speed]") {
  const StereoBuffer in = fill(6000, noise(3, 0.8));
  SpeedReader reader([&](std::int64_t from, StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const std::int64_t f = from + i;
      const bool there = f >= 0 && f < in.frames();
      out.left[i] = there ? in.left()[f] : 0;
      out.right[i] = there ? in.right()[f] : 0;
    }
  });
  std::vector<double> at(1024), one(1024, 1.0);
  for (std::size_t i = 0; i < at.size(); ++i) at[i] = 2000.0 + static_cast<double>(i);
  StereoBuffer out(1024);
  reader.read(at.data(), one.data(), out.span());
  for (std::int64_t i = 0; i < 1024; ++i) {
    REQUIRE(out.left()[i] == in.left()[2000 + i]);
    REQUIRE(out.right()[i] == in.right()[2000 + i]);
  }
  SpeedReader flat([](std::int64_t, StereoSpan o) {
    std::fill_n(o.left, o.frames, 1.0f);
    std::fill_n(o.right, o.frames, 1.0f);
  });
  for (const double v : {0.37, 1.9, 4.0}) {
    std::vector<double> places(1024), speeds(1024, v);
    for (std::size_t i = 0; i < places.size(); ++i) places[i] = v * static_cast<double>(i) + 0.123;
    flat.read(places.data(), speeds.data(), out.span());
    for (std::int64_t i = 0; i < 1024; ++i) REQUIRE(out.left()[i] == Approx(1).margin(2e-5));
  }
}

TEST_CASE("a curve's position is the integral of its speed, to a thousandth of a frame", "[speed]") {
  const Curve curves[] = {Curve(0.5),
                          Curve({{0, 1, 0}, {1, 0, 0.5}}),
                          Curve({{0, 0.2, 0}, {1, 1, -1}}),
                          Curve({{0, 1, 0}, {0.6, 0, 0.5}, {1, -2, 0.5}}),
                          Curve({{0.25, 1, 0}, {0.5, 2, 0}, {0.5, -1, 0}, {0.75, 0.3, 1e-6}}),
                          Curve({{-1, 0, 0}, {0.5, 3, 0.7}, {2, 1, -0.4}})};
  for (const Curve& c : curves) {
    const SpeedCurve s(c);
    const std::int64_t n = 9600;
    std::vector<double> position(static_cast<std::size_t>(n)), speed(static_cast<std::size_t>(n));
    for (std::int64_t at = 0; at < n; at += 1024)
      s.fill(n, at, std::min<std::int64_t>(1024, n - at), position.data() + at, speed.data() + at);
    double sum = 0; // by the midpoint rule, 64 steps to the frame
    double worst = 0, worstSpeed = 0;
    for (std::int64_t i = 0; i < n; ++i) {
      worst = std::max(worst, std::abs(position[static_cast<std::size_t>(i)] - sum));
      worstSpeed = std::max(worstSpeed, std::abs(speed[static_cast<std::size_t>(i)] -
                                                 c.at(static_cast<double>(i) / static_cast<double>(n))));
      for (int k = 0; k < 64; ++k) sum += c.at((static_cast<double>(i) + (k + 0.5) / 64) / static_cast<double>(n)) / 64;
    }
    CHECK(worst < 1e-3);
    CHECK(worstSpeed < 1e-9);
    CHECK(s.total() * static_cast<double>(n) == Approx(sum).margin(1e-3));
  }
}

TEST_CASE("the bands of the crossover add up flat within 0.1 dB", "[speed]") {
  const std::optional<double> open;
  const std::pair<std::optional<double>, std::optional<double>> bands[] = {
      {200.0, 3000.0}, {120.0, open}, {open, 800.0}, {300.0, 400.0}, {open, open}};
  for (const auto& band : bands) {
    BandSplit split(band.first, band.second, kRate);
    StereoBuffer x = fill(48000, impulseAt(0)), rest(48000);
    split.process(x.span(), rest.span());
    for (const double hz : {30.0, 90.0, 130.0, 210.0, 350.0, 700.0, 1500.0, 2900.0, 6000.0, 15000.0}) {
      double re = 0, im = 0;
      for (std::int64_t i = 0; i < 48000; ++i) {
        const double w = 2 * std::numbers::pi * hz / kRate * static_cast<double>(i),
                     v = static_cast<double>(x.left()[i]) + static_cast<double>(rest.left()[i]);
        re += v * std::cos(w);
        im -= v * std::sin(w);
      }
      INFO(band.first.value_or(0) << ".." << band.second.value_or(0) << " at " << hz);
      CHECK(10 * std::log10(re * re + im * im) == Approx(0).margin(0.1));
    }
  }
}
