#include "dsp/peak_shift.h"

#include "dsp/fourier.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

namespace ivrin {
namespace {

constexpr double kLookedAtSeconds = 0.085;
constexpr std::int64_t kOverlap = 4, kPadding = 2; // windows over each frame; a transform is so much longer than one

using Bin = std::complex<float>;

struct Peak {
  std::int64_t bin;
  double at;             // between bins
  std::int64_t from, to; // its region
};

std::vector<Peak> peaksOf(const std::vector<double>& power) {
  std::vector<Peak> all;
  const auto n = static_cast<std::int64_t>(power.size());
  const auto at = [&](std::int64_t k) { return power[static_cast<std::size_t>(k)]; };
  for (std::int64_t k = 2; k + 2 < n; ++k) {
    if (!(at(k) > at(k - 1) && at(k) > at(k - 2) && at(k) >= at(k + 1) && at(k) >= at(k + 2)) || at(k) <= 0) continue;
    const double a = std::log(at(k - 1) + 1e-30), b = std::log(at(k) + 1e-30), c = std::log(at(k + 1) + 1e-30),
                 bend = a - 2 * b + c;
    all.push_back({k, static_cast<double>(k) + (bend != 0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0), 0, n});
  }
  // Regions meet where it is faintest between them.
  for (std::size_t i = 0; i + 1 < all.size(); ++i) {
    std::int64_t least = all[i].bin;
    for (std::int64_t k = all[i].bin; k < all[i + 1].bin; ++k)
      if (at(k) < at(least)) least = k;
    all[i].to = all[i + 1].from = least;
  }
  return all;
}

} // namespace

StereoBuffer peaksShifted(const StereoBuffer& sound, double ratio, double sampleRate) {
  std::int64_t window = 64;
  while (static_cast<double>(window) * 1.4 < kLookedAtSeconds * sampleRate) window *= 2;
  const std::int64_t hop = window / kOverlap, size = window * kPadding, frames = sound.frames();
  const auto fourier = RealFourier::ofSize(size);
  const std::int64_t bins = fourier->bins();
  const auto samples = fourier->samples();
  const auto left = fourier->spectrum(), right = fourier->spectrum(), moved = fourier->spectrum();
  std::vector<float> shape(static_cast<std::size_t>(window));
  for (std::int64_t i = 0; i < window; ++i)
    shape[static_cast<std::size_t>(i)] = static_cast<float>(
        0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(window)));
  // Two Hann windows, four over each frame: 3/2.
  const float scale = static_cast<float>(1 / (1.5 * static_cast<double>(size)));
  StereoBuffer out(frames);
  out.span().clear();
  std::vector<double> power(static_cast<std::size_t>(bins)), turned(static_cast<std::size_t>(bins), 0.0), next = turned;
  for (std::int64_t begin = hop - window; begin < frames; begin += hop) {
    const auto look = [&](const float* in, Bin* to) {
      std::fill_n(samples.get(), size, 0.0f);
      for (std::int64_t i = std::max<std::int64_t>(0, -begin); i < std::min(window, frames - begin); ++i)
        samples[static_cast<std::size_t>(i)] = shape[static_cast<std::size_t>(i)] * in[begin + i];
      fourier->forward(samples.get(), to);
    };
    look(sound.left(), left.get());
    look(sound.right(), right.get());
    for (std::int64_t k = 0; k < bins; ++k) {
      const auto i = static_cast<std::size_t>(k);
      power[i] = static_cast<double>(std::norm(left[i])) + static_cast<double>(std::norm(right[i]));
    }
    const std::vector<Peak> peaks = peaksOf(power);
    // Every region goes as far as its peak does; its phase goes on from where it was before.
    struct Move {
      std::int64_t from, to, by;
      Bin turn;
    };
    std::vector<Move> moves;
    for (const Peak& p : peaks) {
      const double by = p.at * (ratio - 1); // bins
      const double turn =
          std::fmod(turned[static_cast<std::size_t>(p.bin)] +
                        2 * std::numbers::pi * by * static_cast<double>(hop) / static_cast<double>(size),
                    2 * std::numbers::pi);
      std::fill(next.begin() + p.from, next.begin() + std::min(p.to, bins), turn);
      // A whole bin more or less is a turn about the middle of the window.
      const std::int64_t whole = std::llround(by);
      const double aboutMiddle = std::numbers::pi * (static_cast<double>(whole) - by) * static_cast<double>(window) /
                                 static_cast<double>(size);
      moves.push_back({p.from, std::min(p.to, bins), whole, Bin(std::polar(1.0, turn - aboutMiddle))});
    }
    turned.swap(next);
    for (const bool isLeft : {true, false}) {
      const Bin* in = isLeft ? left.get() : right.get();
      std::fill_n(moved.get(), bins, Bin());
      for (const Move& m : moves)
        for (std::int64_t k = std::max(m.from, -m.by + 1); k < std::min(m.to, bins - 1 - m.by); ++k)
          moved[static_cast<std::size_t>(k + m.by)] += in[k] * m.turn;
      fourier->inverse(moved.get(), samples.get());
      float* to = isLeft ? out.left() : out.right();
      for (std::int64_t i = std::max<std::int64_t>(0, -begin); i < std::min(window, frames - begin); ++i)
        to[begin + i] += scale * shape[static_cast<std::size_t>(i)] * samples[static_cast<std::size_t>(i)];
    }
  }
  return out;
}

} // namespace ivrin
