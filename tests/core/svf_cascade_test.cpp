// A cascade of filters is the filters one after the other.
#include "dsp/filter/svf_cascade.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("A cascade of filters is the filters one after the other, in pieces of any size", "[dsp][svf]") {
  constexpr std::int64_t kFrames = 4000;
  for (const auto pass : {StereoSvf::Pass::low, StereoSvf::Pass::high})
    for (const int count : {1, 2, 3, 4, 5, 11, 16}) {
      INFO(count);
      SvfCascade cascade(pass, 48000);
      std::vector<StereoSvf> each;
      for (int i = 0; i < count; ++i) {
        const double left = 300.0 + 40 * i, right = 2000.0 - 70 * i;
        cascade.add(left, right);
        each.emplace_back(pass, left, right, 48000);
      }
      StereoBuffer a = fill(kFrames, noise(4, 0.3)), b = a;
      for (StereoSvf& f : each) f.process(a.left(), a.right(), kFrames);
      const std::int64_t sizes[] = {1, 2, 3, 4, 7, 256, 1000};
      std::size_t k = 0;
      for (std::int64_t at = 0; at < kFrames;) {
        const std::int64_t n = std::min(sizes[k++ % 7], kFrames - at);
        cascade.process(b.left() + at, b.right() + at, n);
        at += n;
      }
      double worst = 0;
      for (std::int64_t i = 0; i < kFrames; ++i)
        worst = std::max({worst, static_cast<double>(std::abs(a.left()[i] - b.left()[i])),
                          static_cast<double>(std::abs(a.right()[i] - b.right()[i]))});
      CHECK(worst < 2e-7 * count); // the floats between them
    }
}
