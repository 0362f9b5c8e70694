#include "dsp/convolver.h"
#include "dsp/shipped_impulses.h"
#include "finish/impulses.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

StereoBuffer convolved(const StereoBuffer& h, const StereoBuffer& x, std::int64_t frames, std::int64_t step) {
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

double energyOf(const StereoBuffer& h) {
  double e = 0;
  for (std::int64_t i = 0; i < h.frames(); ++i) e += 0.5 * (h.left()[i] * h.left()[i] + h.right()[i] * h.right()[i]);
  return e;
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

TEST_CASE("the impulse responses that ship are of energy 1, begin at once and die", "[space]") {
  REQUIRE(shippedImpulses().size() >= 3);
  for (const auto& s : shippedImpulses())
    for (const double rate : {44100.0, 96000.0}) {
      const StereoBuffer h = shippedImpulse(s.name, rate);
      INFO(s.name << " at " << rate);
      CHECK(10 * std::log10(energyOf(h)) == Approx(0).margin(0.05));
      CHECK(std::abs(h.left()[0]) > 0.001f);
      const std::int64_t last = h.frames() - static_cast<std::int64_t>(0.05 * rate);
      CHECK(rmsDb(h.left() + last, h.frames() - last) < rmsDb(h.left(), static_cast<std::int64_t>(0.05 * rate)) - 40);
      CHECK(Impulses::shipped(s.name, rate)->decaySeconds > 0.3);
    }
  CHECK(shippedImpulse("shipped:nowhere", 48000).frames() == 0);
}

TEST_CASE("an impulse response is made shorter by an exponential window and cut at 12 s", "[space]") {
  const auto cistern = Impulses::shipped("shipped:cistern", 48000);
  const StereoBuffer h = windowed(*cistern, 1.0, 48000);
  StereoBuffer copy = h;
  CHECK(makeImpulse(std::move(copy), 48000, "x")->decaySeconds == Approx(1.0).epsilon(0.12));
  CHECK(10 * std::log10(energyOf(h)) == Approx(0).margin(0.05));
  const auto cut = makeImpulse(fill(48000 * 13, noise(1, 0.5)), 48000, "long");
  CHECK(cut->audio.frames() == 48000 * 12);
  CHECK_FALSE(cut->note.empty());
}
