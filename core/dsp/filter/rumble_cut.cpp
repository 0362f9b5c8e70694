#include "dsp/filter/rumble_cut.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kChunkSeconds = 0.5, kTurnSeconds = 0.02;

typedef double FourDoubles __attribute__((vector_size(32)));

/// One section (transposed direct form) over frames of four lanes.
IVRIN_CLONES void section(double* frames, std::int64_t n, double b0, double b1, double b2, double a1, double a2,
                          double* s1, double* s2) {
  FourDoubles* x = reinterpret_cast<FourDoubles*>(frames);
  FourDoubles p = *reinterpret_cast<FourDoubles*>(s1), q = *reinterpret_cast<FourDoubles*>(s2);
  for (std::int64_t i = 0; i < n; ++i) {
    const FourDoubles in = x[i], y = b0 * in + p;
    p = b1 * in - a1 * y + q;
    q = b2 * in - a2 * y;
    x[i] = y;
  }
  *reinterpret_cast<FourDoubles*>(s1) = p;
  *reinterpret_cast<FourDoubles*>(s2) = q;
}

} // namespace

RumbleCut::RumbleCut(double rate)
    : chunk_(std::llround(kChunkSeconds * rate))
    , turn_(std::llround(kTurnSeconds * rate)) {
  constexpr int kOrder = 2 * kSections;
  const double stop = std::tan(std::numbers::pi * kStopHz / rate); // as the bilinear transform sees it
  const double spread = std::asinh(std::sqrt(std::pow(10.0, kStopDb / 10) - 1)) / kOrder;
  for (int k = 0; k < kSections; ++k) {
    // The low-pass of the second kind has the inverse poles of the first kind's; as a high-pass they are turned over
    // once more, so that they are the first kind's again, and its zeros lie in the stop band.
    const double angle = std::numbers::pi * (2 * k + 1) / (2.0 * kOrder);
    const std::complex<double> pole =
        stop * std::complex<double>(-std::sinh(spread) * std::sin(angle), std::cosh(spread) * std::cos(angle));
    const double zero = stop * std::cos(angle);
    // (s² + zero²)/(s² − 2·Re(pole)·s + |pole|²), s = (1 − z⁻¹)/(1 + z⁻¹).
    const double c = -2 * pole.real(), d = std::norm(pole), e = zero * zero, a0 = 1 + c + d;
    Section& s = sections_[static_cast<std::size_t>(k)];
    s.b0 = (1 + e) / a0;
    s.b1 = 2 * (e - 1) / a0;
    s.b2 = (1 + e) / a0;
    s.a1 = 2 * (d - 1) / a0;
    s.a2 = (1 - c + d) / a0;
  }
}

void RumbleCut::reset(std::size_t which) {
  for (Section& s : sections_)
    for (std::size_t lane = 2 * which; lane < 2 * which + 2; ++lane) s.s1[lane] = s.s2[lane] = 0;
}

bool RumbleCut::rests() const {
  const auto none = [](const auto& lanes) {
    return std::all_of(lanes.begin(), lanes.end(), [](double v) { return v == 0; });
  };
  return std::all_of(sections_.begin(), sections_.end(), [&](const Section& s) { return none(s.s1) && none(s.s2); });
}

void RumbleCut::process(StereoSpan io, const float* weight) {
  constexpr std::int64_t kAtOnce = 256;
  alignas(32) double frames[kAtOnce * kLanes];
  for (std::int64_t done = 0; done < io.frames;) {
    const std::int64_t turn = at_ / chunk_, into = at_ % chunk_;
    const auto young = static_cast<std::size_t>(turn & 1), old = turn == 0 ? young : 1 - young;
    if (into == 0) reset(young);
    const std::int64_t n = std::min({io.frames - done, chunk_ - into, kAtOnce});
    for (std::int64_t i = 0; i < n; ++i)
      for (std::size_t lane = 0; lane < kLanes; ++lane)
        frames[static_cast<std::size_t>(i) * kLanes + lane] = (lane & 1 ? io.right : io.left)[done + i];
    for (Section& s : sections_) section(frames, n, s.b0, s.b1, s.b2, s.a1, s.a2, s.s1.data(), s.s2.data());
    for (std::int64_t i = 0; i < n; ++i) {
      const float w = weight[done + i];
      if (w == 0) continue;
      const double* x = frames + i * kLanes;
      const std::int64_t left = chunk_ - into - i;
      const double share =
          left >= turn_ ? 0 : 1 - static_cast<double>(left) / static_cast<double>(turn_); // of the next one
      for (std::size_t side = 0; side < 2; ++side) {
        float& y = (side == 0 ? io.left : io.right)[done + i];
        const double cut = x[2 * old + side] + share * (x[2 * young + side] - x[2 * old + side]);
        y += w * (static_cast<float>(cut) - y);
      }
    }
    at_ += n;
    done += n;
  }
}

} // namespace ivrin
