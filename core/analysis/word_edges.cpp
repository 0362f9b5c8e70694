#include "analysis/word_edges.h"

#include "audio/lanes.h"
#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace ivrin {
namespace {

constexpr double kHopSeconds = 0.005, kLookSeconds = 0.03, kStaysSeconds = 0.04;
constexpr double kLeastPeriod = 0.002, kMostPeriod = 0.014; // 500 to 71 Hz
constexpr double kVoiced = 0.5;                             // the autocorrelation at a period, against that at none
constexpr double kUnderLoudestDb = 15;
constexpr double kMostHigh = 0.25; // of the power
constexpr double kHissHz = 4000;
constexpr double kMostSeconds = 2;   // a word's begin is looked for in so much of it
constexpr std::int64_t kThinned = 4; // voicing is told from every fourth frame, averaged

struct Moment {
  double db = -120, voiced = 0, high = 0;
};

IVRIN_CLONES double product(const float* u, const float* v, std::int64_t n) {
  Eight sum{};
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8)
    sum += *reinterpret_cast<const EightInMemory*>(u + i) * *reinterpret_cast<const EightInMemory*>(v + i);
  double all = 0;
  for (int k = 0; k < 8; ++k) all += static_cast<double>(sum[k]);
  for (; i < n; ++i) all += static_cast<double>(u[i] * v[i]);
  return all;
}

} // namespace

Frames nearestZero(const RowReader& row, Frames at, Frames reach) {
  const std::int64_t n = 2 * reach.count + 2;
  if (n < 2) return at;
  const Frames from = at - reach - Frames(1);
  const StereoBuffer b = heardOver(row, {from, from + Frames(n)});
  const auto value = [&](std::int64_t i) { return b.left()[i] + b.right()[i]; };
  std::optional<std::int64_t> best;
  for (std::int64_t i = 1; i < n; ++i) {
    const float before = value(i - 1), now = value(i);
    if ((before < 0) == (now < 0) || (before == 0 && now == 0)) continue;
    if (!best || std::abs(i - 1 - reach.count) < std::abs(*best - 1 - reach.count)) best = i;
  }
  return best ? from + Frames(*best) : at;
}

std::optional<Frames> vowelBegin(const RowReader& row, FrameRange word, double sampleRate) {
  const auto frames = [&](double seconds) -> std::int64_t { return std::llround(seconds * sampleRate); };
  const std::int64_t length = std::min(word.length(), frames(kMostSeconds)), hop = frames(kHopSeconds) / kThinned,
                     window = frames(kLookSeconds) / kThinned, most = frames(kMostPeriod) / kThinned,
                     least = frames(kLeastPeriod) / kThinned, count = length / kThinned;
  if (count < window + most || hop < 1) return std::nullopt;
  const StereoBuffer sound = heardOver(row, {word.begin, word.begin + Frames(length)});
  // Thinned, and the power of all and of what is over the high edge (one pole, roughly).
  std::vector<float> x(static_cast<std::size_t>(count)), power(x.size()), highPower(x.size());
  const double a = std::exp(-2 * std::numbers::pi * kHissHz / sampleRate);
  double low = 0;
  for (std::size_t i = 0; i < x.size(); ++i)
    for (std::int64_t k = 0; k < kThinned; ++k) {
      const std::int64_t f = static_cast<std::int64_t>(i) * kThinned + k;
      const double now = static_cast<double>(sound.left()[f] + sound.right()[f]) / 2;
      low += (1 - a) * (now - low);
      x[i] += static_cast<float>(now / kThinned);
      power[i] += static_cast<float>(now * now / kThinned);
      highPower[i] += static_cast<float>((now - low) * (now - low) / kThinned);
    }
  std::vector<Moment> moments;
  for (std::int64_t at = 0; at + window + most <= count; at += hop) {
    Moment m;
    double all = 1e-12, over = 0;
    for (std::int64_t i = at; i < at + window; ++i) {
      all += static_cast<double>(power[static_cast<std::size_t>(i)]);
      over += static_cast<double>(highPower[static_cast<std::size_t>(i)]);
    }
    m.db = 10 * std::log10(all / static_cast<double>(window));
    m.high = over / all;
    const float* now = x.data() + at;
    const double own = product(now, now, window);
    for (std::int64_t lag = least; lag <= most; ++lag) {
      const float* later = now + lag;
      m.voiced = std::max(m.voiced, 2 * product(now, later, window) / (own + product(later, later, window) + 1e-12));
    }
    moments.push_back(m);
  }
  double loudest = -120;
  for (const Moment& m : moments)
    if (m.voiced > kVoiced && m.high < kMostHigh) loudest = std::max(loudest, m.db);
  const auto stays = static_cast<std::size_t>(std::ceil(kStaysSeconds / kHopSeconds));
  std::size_t run = 0;
  for (std::size_t i = 0; i < moments.size(); ++i) {
    const Moment& m = moments[i];
    run = m.voiced > kVoiced && m.high < kMostHigh && m.db > loudest - kUnderLoudestDb ? run + 1 : 0;
    if (run == std::min(stays, moments.size())) {
      const auto first = static_cast<std::int64_t>(i + 1 - run);
      // A window counts from its first quarter on: at a begin it is voiced once most of it is.
      return word.begin + Frames(first == 0 ? 0 : (first * hop + window / 4) * kThinned);
    }
  }
  return std::nullopt;
}

} // namespace ivrin
