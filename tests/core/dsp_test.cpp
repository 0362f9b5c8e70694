#include "dsp/denormals.h"
#include "dsp/dynamics/edges.h"
#include "dsp/filter/svf.h"
#include "dsp/filter/windowed_sinc.h"
#include "dsp/measure/loudness.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("complementary fades add up to one", "[dsp]") {
  for (double u = -0.5; u <= 1.5; u += 0.01) CHECK(raisedCosine(u) + raisedCosine(1 - u) == Approx(1).margin(1e-12));
}

TEST_CASE("an edge window fades inside its half-open span and shares a short one", "[dsp]") {
  const EdgeWindow w({Frames(100), Frames(1100)}, 96, 384);
  CHECK(w.at(Frames(99)) == 0);
  CHECK(w.at(Frames(100)) == 0);
  CHECK(w.at(Frames(196)) == 1);
  CHECK(w.at(Frames(1100 - 384)) == 1);
  CHECK(w.at(Frames(1099)) > 0);
  CHECK(w.at(Frames(1100)) == 0);
  const EdgeWindow tiny({Frames(0), Frames(48)}, 96, 384);
  double most = 0;
  for (int i = 0; i < 48; ++i) most = std::max(most, tiny.at(Frames(i)));
  CHECK(most == Approx(1).margin(0.02)); // fades in proportion, the middle still sounds
}

TEST_CASE("gains turn a stretch down with their fades inside it and leave the rest bit for bit", "[dsp]") {
  const GainSegments g = turnedDown({Frames(1000), Frames(2000)}, 0.25, 100, 200);
  StereoBuffer x = fill(3000, noise(1, 0.7));
  const StereoBuffer before = x;
  for (std::int64_t at = 0; at < 3000; at += 250) g.apply(Frames(at), x.left() + at, x.right() + at, 250);
  for (std::int64_t i = 0; i < 3000; ++i) {
    if (i <= 1000 || i >= 2000) REQUIRE(x.left()[i] == before.left()[i]);
    if (i >= 1100 && i < 1800) REQUIRE(x.right()[i] == before.right()[i] * 0.25f);
    REQUIRE(std::abs(x.left()[i]) <= std::abs(before.left()[i]));
  }
  CHECK(g.at(Frames(1050)) == Approx(1 - 0.75 * 0.5).margin(1e-9));
}

TEST_CASE("the filters pass 12 dB per octave as they say", "[dsp]") {
  for (const auto pass : {StereoSvf::Pass::low, StereoSvf::Pass::high})
    for (const double hz : {100.0, 500.0, 1000.0, 2000.0, 8000.0}) {
      StereoSvf f(pass, 1000, 1000, 48000);
      StereoBuffer x = fill(48000, sine(hz, 48000, 0.5));
      f.process(x.left(), x.right(), 48000);
      const double measured = Decibels::ofGain(toneLevel(x.left() + 9600, 38400, hz, 48000) / 0.5).value;
      INFO(hz);
      CHECK(measured == Approx(Decibels::ofGain(f.magnitude(0, hz)).value).margin(0.05));
      if (hz == 1000) CHECK(measured == Approx(-3.01).margin(0.05));
    }
  const StereoSvf low(StereoSvf::Pass::low, 1000, 1000, 48000);
  CHECK(Decibels::ofGain(low.magnitude(0, 4000) / low.magnitude(0, 2000)).value == Approx(-12).margin(1)); // an octave
  CHECK(StereoSvf(StereoSvf::Pass::low, 30000, 30000, 48000).magnitude(0, 10000) ==
        Approx(1).margin(0.05)); // limited, not unstable
}

TEST_CASE("reading between samples is flat to 0.45 of the rate", "[dsp]") {
  for (const double fraction : {0.1, 0.25, 0.5, 0.9}) {
    const auto c = sincKernel(fraction, 24);
    for (const double hz : {20.0, 1000.0, 10000.0, 18000.0, 20000.0, 21600.0}) {
      const StereoBuffer x = fill(8192, sine(hz, 48000, 1));
      std::vector<float> y(8000);
      convolveBlock(x.left(), c.data(), 48, y.data(), 8000);
      double worst = 0;
      for (std::int64_t i = 0; i < 8000; ++i)
        worst = std::max(worst, std::abs(static_cast<double>(y[static_cast<std::size_t>(i)]) -
                                         std::sin(2 * M_PI * hz * (static_cast<double>(i) + 23 + fraction) / 48000)));
      INFO(fraction << " " << hz);
      CHECK(Decibels::ofGain(worst).value < (hz <= 18000 ? -80 : hz <= 20000 ? -70 : -40));
    }
  }
}

TEST_CASE("loudness agrees with EBU Tech 3341", "[dsp]") {
  // Case 1: a stereo sine of 997 Hz at −23 dBFS is −23 LUFS ± 0.1; case 2: −33.
  for (const double db : {-23.0, -33.0}) {
    const StereoBuffer x = fill(48000 * 10, sine(997, 48000, Decibels(db).gain()));
    const Loudness m = measureLoudness(x.left(), x.right(), x.frames(), 48000);
    CHECK(m.integratedLufs == Approx(db).margin(0.1));
    CHECK(m.shortTermMaxLufs == Approx(db).margin(0.1));
    CHECK(m.samplePeakDbfs == Approx(db).margin(0.01));
    CHECK(m.truePeakDbtp == Approx(db).margin(0.2));
    MomentaryLoudness momentary(48000);
    momentary.add(x.left(), x.right(), 48000);
    CHECK(momentary.lufs() == Approx(db).margin(0.1));
  }
  // Shorter than a gating block: K-weighted over what is active, silence left out.
  const StereoBuffer shortOne = fill(12000, only(3000, 9000, sine(997, 48000, Decibels(-20).gain())));
  CHECK(measureLoudness(shortOne.left(), shortOne.right(), 12000, 48000).integratedLufs == Approx(-20).margin(0.3));
  CHECK(measureLoudness(shortOne.left(), shortOne.right(), 2000, 48000).integratedLufs == -200);
  // The same at another rate.
  const StereoBuffer other = fill(96000 * 5, sine(997, 96000, Decibels(-23).gain()));
  CHECK(loudestWindowLufs(kWeightedPower(other.left(), other.right(), other.frames(), 96000), 96000) ==
        Approx(-23).margin(0.1));
}

TEST_CASE("energy under 200 Hz is told apart", "[dsp]") {
  const StereoBuffer low = fill(96000, sine(50, 48000, 0.5)), high = fill(96000, sine(2000, 48000, 0.5));
  CHECK(measureLoudness(low.left(), low.right(), 96000, 48000).lowEnergyDb == Approx(-9.03).margin(0.2)); // RMS of 0.5
  CHECK(measureLoudness(high.left(), high.right(), 96000, 48000).lowEnergyDb < -45);
}

TEST_CASE("denormals are flushed for the life of the guard only", "[dsp]") {
  volatile float tiny = 1e-38f;
  {
    const FlushDenormals guard;
    CHECK(tiny * 0.01f == 0.0f);
  }
  CHECK(tiny * 0.01f != 0.0f);
}
