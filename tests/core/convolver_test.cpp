#include "dsp/space/convolver.h"
#include "dsp/space/shipped_impulses.h"
#include "finish/impulses.h"
#include "test_support/acoustics.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numeric>

using namespace ivrin;
using namespace ivrin::test;

namespace {

StereoBuffer convolved(const ImpulseResponse& h, const StereoBuffer& x, std::int64_t frames, std::int64_t step) {
  std::int64_t at = 0;
  Convolver c(spectrumOf(h), [&](StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i, ++at) {
      out.left[i] = at < x.frames() ? x.left()[at] : 0;
      out.right[i] = at < x.frames() ? x.right()[at] : 0;
    }
  });
  StereoBuffer y(frames);
  for (std::int64_t i = 0; i < frames; i += step) c.read(y.span().part(i, std::min(step, frames - i)));
  return y;
}

double energyOf(const float* x, std::int64_t n) {
  double e = 0;
  for (std::int64_t i = 0; i < n; ++i) e += static_cast<double>(x[i]) * x[i];
  return e;
}

double energyOf(const ImpulseResponse& h) {
  double e = 0;
  for (const StereoBuffer* b : {&h.own, &h.across})
    e += 0.5 * (energyOf(b->left(), b->frames()) + energyOf(b->right(), b->frames()));
  return e;
}

/// What the sides hear of a knock on the left, on the right or on both.
StereoBuffer heard(const ImpulseResponse& h, float left, float right) {
  StereoBuffer y(h.frames());
  for (std::int64_t i = 0; i < h.frames(); ++i) {
    y.left()[i] = left * h.own.left()[i] + right * h.across.left()[i];
    y.right()[i] = right * h.own.right()[i] + left * h.across.right()[i];
  }
  return y;
}

} // namespace

TEST_CASE("convolution by large blocks is direct convolution to -120 dB", "[space]") {
  for (const std::int64_t length : {1, 700, 9000}) {
    const StereoBuffer h = fill(length, noise(3, 0.3)), x = fill(11000, noise(4, 0.9));
    const std::int64_t frames = x.frames() + length + 100;
    const StereoBuffer fast = convolved(h, x, frames, 1024);
    for (int side = 0; side < 2; ++side) {
      const float *hs = side ? h.right() : h.left(), *xs = side ? x.right() : x.left();
      const float* ys = side ? fast.right() : fast.left();
      double error = 0, peak = 0, count = 0;
      for (std::int64_t i = 0; i < frames; i += 7) { // every seventh: the direct sum is slow
        double y = 0;
        for (std::int64_t k = std::max<std::int64_t>(0, i - x.frames() + 1); k <= std::min(i, length - 1); ++k)
          y += static_cast<double>(hs[k]) * xs[i - k];
        error += (y - ys[i]) * (y - ys[i]);
        peak = std::max(peak, std::abs(y));
        count += 1;
      }
      INFO("response of " << length << " frames");
      CHECK(20 * std::log10(std::sqrt(error / count) / peak) < -120);
    }
    CHECK(convolved(h, x, frames, 333) == fast); // whatever the sizes of the calls
  }
}

TEST_CASE("a response of four paths is four convolutions", "[space]") {
  const ImpulseResponse h(fill(900, noise(3, 0.3)), fill(900, noise(7, 0.2)));
  StereoBuffer left = fill(5000, noise(4, 0.9)), right = left;
  std::fill_n(left.right(), 5000, 0.0f);
  std::fill_n(right.left(), 5000, 0.0f);
  const StereoBuffer l = convolved(h, left, 6000, 512), r = convolved(h, right, 6000, 512);
  // The left side's sound through its own path alone, and what of it is heard on the right.
  StereoBuffer alike(5000);
  std::copy_n(left.left(), 5000, alike.left());
  std::copy_n(left.left(), 5000, alike.right());
  StereoBuffer paths(900);
  std::copy_n(h.own.left(), 900, paths.left());
  std::copy_n(h.across.right(), 900, paths.right());
  const StereoBuffer wanted = convolved(paths, alike, 6000, 512);
  for (std::int64_t i = 0; i < 6000; ++i) {
    CHECK(std::abs(l.left()[i] - wanted.left()[i]) < 1e-5f);
    CHECK(std::abs(l.right()[i] - wanted.right()[i]) < 1e-5f);
  }
  CHECK(energyOf(r.left(), 6000) > 1); // the right's sound reaches the left
}

TEST_CASE("the impulse responses that ship are of energy 1, begin at once and die", "[space][heavy]") {
  REQUIRE(shippedImpulses().size() == 6);
  for (const auto& s : shippedImpulses())
    for (const double rate : {22050.0, 44100.0}) {
      const ImpulseResponse h = shippedImpulse(s.name, rate);
      CHECK(shippedImpulseFrames(s.name, rate) == h.frames());
      INFO(s.name << " at " << rate);
      CHECK(10 * std::log10(energyOf(h)) == Approx(0).margin(0.05));
      CHECK(std::abs(h.own.left()[0]) > 0.001f);
      const std::int64_t last = h.frames() - static_cast<std::int64_t>(0.05 * rate);
      CHECK(rmsDb(h.own.left() + last, h.frames() - last) <
            rmsDb(h.own.left(), static_cast<std::int64_t>(0.05 * rate)) - 40);
      CHECK(Impulses::shipped(s.name, rate)->decaySeconds > 0.15);
    }
  CHECK(shippedImpulse("shipped:nowhere", 48000).frames() == 0);
}

TEST_CASE("a shipped space dies, sounds and surrounds as it is meant to", "[space][heavy]") {
  constexpr double kRate = 48000;
  for (const auto& s : shippedImpulses()) {
    const ImpulseResponse h = shippedImpulse(s.name, kRate);
    INFO(s.name);
    const float* paths[] = {h.own.left(), h.own.right(), h.across.left(), h.across.right()};
    for (double hz = 125; hz <= 8000; hz *= 2) {
      double mean = 0;
      for (const float* p : paths) mean += decayTime(exactBand(p, h.frames(), hz, 1, kRate), kRate) / 4;
      INFO(hz << " Hz");
      CHECK(mean == Approx(s.decayAt(hz)).epsilon(0.1));
    }
    // Colour: against that of 500 Hz to 2 kHz, where all of them sound.
    std::vector<double> off, centres, is(25, 0.0);
    for (int k = -12; k <= 12; ++k) centres.push_back(1000 * std::exp2(k / 3.0));
    for (const float* p : paths) {
      const auto of = thirdOctaves(p, h.frames(), centres, kRate);
      for (std::size_t k = 0; k < of.size(); ++k) is[k] += of[k];
    }
    for (std::size_t k = 0; k < centres.size(); ++k) {
      double meant = 0;
      for (int j = -4; j <= 4; ++j) { // each bin counts: the top of a third holds more of them
        const double f = centres[k] * std::exp2(j / 27.0);
        meant += f * std::pow(10.0, s.colourDbAt(f) / 10);
      }
      off.push_back(10 * std::log10(is[k] / meant));
    }
    const double middle = std::accumulate(off.begin() + 9, off.begin() + 16, 0.0) / 7;
    for (std::size_t k = 0; k < off.size(); ++k) {
      INFO("colour at " << centres[k] << " Hz");
      CHECK(std::abs(off[k] - middle) < 3);
    }
    // The sides: of what stands left, right, and in the middle.
    for (const auto& [l, r] : {std::pair{1.0f, 0.0f}, {0.0f, 1.0f}, {1.0f, 1.0f}}) {
      const StereoBuffer y = heard(h, l, r);
      INFO("source " << l << ", " << r);
      const double el = energyOf(y.left(), y.frames()), er = energyOf(y.right(), y.frames());
      CHECK(std::abs(10 * std::log10(el / er)) < 1);
      StereoBuffer fold(y.frames());
      for (std::int64_t i = 0; i < y.frames(); ++i) fold.left()[i] = y.left()[i] + y.right()[i];
      const auto both = thirdOctaves(fold.left(), y.frames(), centres, kRate);
      const auto left = thirdOctaves(y.left(), y.frames(), centres, kRate);
      const auto right = thirdOctaves(y.right(), y.frames(), centres, kRate);
      for (std::size_t k = 0; k < centres.size(); ++k) {
        INFO("mono at " << centres[k] << " Hz");
        CHECK(std::abs(10 * std::log10(both[k] / (left[k] + right[k]))) < 3);
      }
      // Correlation of the tail over 250 Hz.
      const auto a = exactBand(y.left(), y.frames(), 2000, 6, kRate),
                 b = exactBand(y.right(), y.frames(), 2000, 6, kRate);
      double ab = 0, aa = 0, bb = 0;
      for (std::size_t i = static_cast<std::size_t>(0.03 * kRate); i < a.size(); ++i) {
        ab += a[i] * b[i];
        aa += a[i] * a[i];
        bb += b[i] * b[i];
      }
      CHECK(std::abs(ab) <= 0.1 * std::sqrt(aa * bb));
    }
  }
}

TEST_CASE("an impulse response is made shorter by an exponential window and cut at 12 s", "[space]") {
  const auto cistern = Impulses::shipped("shipped:cistern", 48000);
  const ImpulseResponse h = windowed(*cistern, 1.0, 48000);
  ImpulseResponse copy = h;
  CHECK(makeImpulse(std::move(copy), 48000, "x")->decaySeconds == Approx(1.0).epsilon(0.12));
  CHECK(10 * std::log10(energyOf(h)) == Approx(0).margin(0.05));
  const auto cut = makeImpulse(fill(48000 * 13, noise(1, 0.5)), 48000, "long");
  CHECK(cut->audio.frames() == 48000 * 12);
  CHECK_FALSE(cut->note.empty());
}
