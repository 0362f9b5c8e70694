// Large songs for benchmarks, painting and soak: stereo stems of coloured noise with phrases, ornaments all over.
#pragma once

#include "test_support/signals.h"

namespace ivrin::test {

std::unique_ptr<TestSong> bigSong(int stems, double seconds, int ornaments);

} // namespace ivrin::test
