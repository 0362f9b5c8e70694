#include "analysis/thinned.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kThinnedHz = 22000;
constexpr std::int64_t kReach = 4; // in frames of what is thinned

IVRIN_CLONES void addScaled(const float* in, float gain, float* out, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) out[i] += gain * in[i];
}

} // namespace

Thinned::Thinned(double sampleRate)
    : times_(std::max<std::int64_t>(1, static_cast<std::int64_t>(sampleRate / kThinnedHz)))
    , reach_(times_ > 1 ? kReach * times_ : 0)
    , taps_(static_cast<std::size_t>(2 * reach_ + 1)) {
  double sum = 0;
  for (std::int64_t k = -reach_; k <= reach_; ++k) {
    const double x = std::numbers::pi * static_cast<double>(k) / static_cast<double>(times_),
                 w = 0.5 + 0.5 * std::cos(std::numbers::pi * static_cast<double>(k) / static_cast<double>(reach_ + 1));
    sum += (taps_[static_cast<std::size_t>(k + reach_)] = static_cast<float>((k == 0 ? 1 : std::sin(x) / x) * w));
  }
  for (float& t : taps_) t /= static_cast<float>(sum);
}
void Thinned::read(const RowReader& row, Frames from, StereoSpan out) {
  if (times_ == 1) return row(from, out);
  // To the end of the last phase, which no tap of weight reaches.
  const std::int64_t wide = out.frames * times_ + 2 * reach_ + times_;
  if (sound_.frames() != wide) sound_.resize(wide);
  row(from - Frames(reach_), sound_.span());
  const auto n = static_cast<std::size_t>(out.frames + 2 * reach_ / times_);
  phase_.resize(n);
  for (const auto& [in, to] : {std::pair{sound_.left(), out.left}, std::pair{sound_.right(), out.right}}) {
    std::fill_n(to, out.frames, 0.0f);
    for (std::int64_t p = 0; p < times_; ++p) {
      for (std::size_t i = 0; i < n; ++i) phase_[i] = in[static_cast<std::int64_t>(i) * times_ + p];
      for (std::int64_t k = p; k <= 2 * reach_; k += times_)
        if (const float tap = taps_[static_cast<std::size_t>(k)]; std::abs(tap) > 1e-6f) // every other one is none
          addScaled(phase_.data() + k / times_, tap, to, out.frames);
    }
  }
}

} // namespace ivrin
