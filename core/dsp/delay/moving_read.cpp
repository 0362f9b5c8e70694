#include "dsp/delay/moving_read.h"

#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/filter/windowed_sinc.h"

#include <algorithm>
#include <vector>

namespace ivrin {
namespace {

constexpr int kTaps = 2 * kMovingHalf, kPhases = 128, kBeyond = kPhases / 4 + 1;
/// Under 1 at every frequency: what is held must not grow.
constexpr double kKept = 1 - 1e-4;

/// Beyond any delay: what is counted from here is not negative.
constexpr double kFar = 1 << 30;

/// Kernels for fractions from −0.25 to 1.25, straight lines between them.
const float* kernelTable() {
  static const std::vector<float> table = [] {
    std::vector<float> rows;
    for (int p = -kBeyond; p <= kPhases + kBeyond; ++p)
      for (const float v : sincKernel(static_cast<double>(p) / kPhases, kMovingHalf))
        rows.push_back(static_cast<float>(kKept * static_cast<double>(v)));
    return rows;
  }();
  return table.data();
}

/// The kernel of one place.
IVRIN_CLONES void kernelAt(const float* table, double fraction, float* out) {
  const double place = fraction * kPhases + kBeyond;
  const auto row = static_cast<std::int64_t>(place);
  const auto share = static_cast<float>(place - static_cast<double>(row));
  for (int h = 0; h < 2; ++h) {
    const float* at = table + row * kTaps + 8 * h;
    const Eight a = *reinterpret_cast<const EightInMemory*>(at);
    *reinterpret_cast<EightInMemory*>(out + 8 * h) =
        a + share * (*reinterpret_cast<const EightInMemory*>(at + kTaps) - a);
  }
}

/// A run, or part of it: out[j] = Σ (from[k] + (first + j)/16·(to[k] − from[k]))·x[first + j + k], summed in the same
/// order either way.
IVRIN_CLONES void run(float* out, const float* x, const float* from, const float* to, std::int64_t first,
                      std::int64_t n) {
  constexpr float kStep = 1.0f / kMovingRun;
  if (n == kMovingRun) {
    Eight at[2] = {}, end[2] = {};
    for (int k = 0; k < kTaps; ++k)
      for (int h = 0; h < 2; ++h) {
        const Eight v = *reinterpret_cast<const EightInMemory*>(x + k + 8 * h);
        at[h] += from[k] * v;
        end[h] += to[k] * v;
      }
    constexpr Eight kSteps = {0, 1, 2, 3, 4, 5, 6, 7};
    for (int h = 0; h < 2; ++h)
      *reinterpret_cast<EightInMemory*>(out + 8 * h) =
          at[h] + (kSteps + static_cast<float>(8 * h)) * kStep * (end[h] - at[h]);
    return;
  }
  for (std::int64_t j = 0; j < n; ++j) {
    float at = 0, end = 0;
    for (int k = 0; k < kTaps; ++k) {
      at += from[k] * x[first + j + k];
      end += to[k] * x[first + j + k];
    }
    out[j] = at + static_cast<float>(first + j) * kStep * (end - at);
  }
}

} // namespace

void readMoving(const Ring& ring, std::int64_t clock, std::int64_t block, double from, double to, float* out,
                std::int64_t n) {
  const float* table = kernelTable();
  // Runs are counted from the block's begin; in small spaces a run is longer than the block. Where the whole part of
  // the delay stays, the end of one run is the beginning of the next, to the bit.
  const double slope = (to - from) / static_cast<double>(block);
  const std::int64_t begin = clock - (clock & (block - 1));
  const auto placeAt = [&](std::int64_t into) {
    return static_cast<double>(begin + into) - (from + slope * static_cast<double>(into)) + kFar;
  };
  alignas(32) float kernels[2][kTaps];
  float *now = kernels[0], *next = kernels[1];
  std::int64_t known = -1; // the whole place whose kernel `now` is
  for (std::int64_t i = 0; i < n;) {
    const std::int64_t into = clock + i - begin, first = into % kMovingRun, start = into - first;
    const std::int64_t length = std::min(n - i, kMovingRun - first);
    const double place = placeAt(start), after = placeAt(start + kMovingRun);
    const auto whole = static_cast<std::int64_t>(place), wholeAfter = static_cast<std::int64_t>(after);
    if (known != whole) kernelAt(table, place - static_cast<double>(whole), now);
    kernelAt(table, after - static_cast<double>(whole + kMovingRun), next);
    run(out + i, ring.at(whole - static_cast<std::int64_t>(kFar) - kMovingHalf + 1), now, next, first, length);
    known = wholeAfter == whole + kMovingRun ? wholeAfter : -1;
    std::swap(now, next);
    i += length;
  }
}

} // namespace ivrin
