#include "dsp/filter/svf_cascade.h"

#include "audio/buffer.h"
#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace ivrin {
namespace {

typedef double Pair __attribute__((vector_size(32))); // left and right of two filters

/// One step of two filters; y from x, the states of those that `go` on.
struct PairOfFilters {
  Pair a1, a2, a3, ofInput, ofBand, ofLow, s1, s2;
  template <bool all> void step(const Pair& x, const Pair& go, Pair& y) {
    const Pair v3 = x - s2, v1 = a1 * s1 + a2 * v3, v2 = s2 + a2 * s1 + a3 * v3;
    const Pair n1 = 2 * v1 - s1, n2 = 2 * v2 - s2;
    s1 = all ? n1 : s1 + go * (n1 - s1);
    s2 = all ? n2 : s2 + go * (n2 - s2);
    y = ofInput * x + ofBand * v1 + ofLow * v2;
  }
};

} // namespace

void SvfCascade::add(double cutoffLeftHz, double cutoffRightHz) {
  if (stages_ % 4 == 0) fours_.emplace_back();
  Four& f = fours_.back();
  const StereoSvf one(pass_, cutoffLeftHz, cutoffRightHz, rate_);
  const bool high = pass_ == StereoSvf::Pass::high, band = pass_ == StereoSvf::Pass::band;
  for (const std::size_t side : {0, 1}) {
    const std::size_t i = 2 * (stages_ % 4) + side;
    f.a1[i] = one.side_[side].a1;
    f.a2[i] = one.side_[side].a2;
    f.a3[i] = one.side_[side].a3;
    f.ofInput[i] = high ? 1 : 0;
    f.ofBand[i] = high ? -one.k_ : band ? one.k_ : 0;
    f.ofLow[i] = high ? -1 : band ? 0 : 1;
  }
  ++stages_;
}

void SvfCascade::process(float* left, float* right, std::int64_t frames) {
  for (Four& f : fours_) {
    const auto rests = [](const std::array<double, 8>& states) {
      return std::all_of(states.begin(), states.end(), [](double v) { return std::abs(v) < kRestingState; });
    };
    if (rests(f.s1) && rests(f.s2) && StereoSpan{left, right, frames}.isSilent()) {
      f.s1.fill(0);
      f.s2.fill(0);
    } else {
      run(f, left, right, frames);
    }
  }
}

IVRIN_CLONES void SvfCascade::run(Four& f, float* left, float* right, std::int64_t frames) {
  PairOfFilters a, b;
  const auto take = [](const std::array<double, 8>& from, Pair& first, Pair& second) {
    std::memcpy(&first, from.data(), sizeof first);
    std::memcpy(&second, from.data() + 4, sizeof second);
  };
  take(f.a1, a.a1, b.a1);
  take(f.a2, a.a2, b.a2);
  take(f.a3, a.a3, b.a3);
  take(f.ofInput, a.ofInput, b.ofInput);
  take(f.ofBand, a.ofBand, b.ofBand);
  take(f.ofLow, a.ofLow, b.ofLow);
  take(f.s1, a.s1, b.s1);
  take(f.s2, a.s2, b.s2);
  Pair ya{}, yb{};
  // Filter j is at frame n − j; at the ends some of them stand still.
  const auto some = [&](std::int64_t n) {
    const auto goes = [&](std::int64_t j) { return n - j >= 0 && n - j < frames ? 1.0 : 0.0; };
    const bool in = n < frames;
    const Pair xa = {in ? left[n] : 0.0, in ? right[n] : 0.0, ya[0], ya[1]}, xb = {ya[2], ya[3], yb[0], yb[1]};
    const Pair ga = {goes(0), goes(0), goes(1), goes(1)}, gb = {goes(2), goes(2), goes(3), goes(3)};
    a.step<false>(xa, ga, ya);
    b.step<false>(xb, gb, yb);
    if (n < 3) return;
    left[n - 3] = static_cast<float>(yb[2]);
    right[n - 3] = static_cast<float>(yb[3]);
  };
  for (std::int64_t n = 0; n < std::min<std::int64_t>(3, frames + 3); ++n) some(n);
  for (std::int64_t n = 3; n < frames; ++n) {
    const Pair xa = {left[n], right[n], ya[0], ya[1]}, xb = {ya[2], ya[3], yb[0], yb[1]};
    a.step<true>(xa, xa, ya);
    b.step<true>(xb, xb, yb);
    left[n - 3] = static_cast<float>(yb[2]);
    right[n - 3] = static_cast<float>(yb[3]);
  }
  for (std::int64_t n = std::max<std::int64_t>(3, frames); n < frames + 3; ++n) some(n);
  const auto keep = [](std::array<double, 8>& to, const Pair& first, const Pair& second) {
    std::memcpy(to.data(), &first, sizeof first);
    std::memcpy(to.data() + 4, &second, sizeof second);
  };
  keep(f.s1, a.s1, b.s1);
  keep(f.s2, a.s2, b.s2);
}

} // namespace ivrin
