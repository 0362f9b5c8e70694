#include "analysis/roles.h"

#include "test_support/found_scores.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

// Twenty-six made rows, a tenth of a second each.
TEST_CASE("what a row is can be told from its sound, mostly", "[roles][heavy]") {
  int right = 0;
  for (int i = 0; i < madeOpeningsCount(); ++i) {
    const MadeOpenings made = madeOpenings(i);
    right += roleHeard(made) == roleOf(made);
  }
  CHECK(right >= madeOpeningsCount() * 3 / 4); // the name is asked first
}

TEST_CASE("silence is nothing", "[roles]") {
  const StereoBuffer b(48000);
  const FrameRange range{Frames(0), Frames(48000)};
  CHECK_FALSE(sketchOf(readerOf(b), range, 48000, rowChroma(readerOf(b), range, 48000), {}));
  CHECK_FALSE(sketchOf(readerOf(b), {Frames(0), Frames(10)}, 48000, {}, {}));
}
