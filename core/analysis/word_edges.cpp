#include "analysis/word_edges.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ivrin {
namespace {

constexpr double kHopSeconds = 0.005, kWindowSeconds = 0.03, kStaysSeconds = 0.04;
constexpr double kLeastPeriod = 0.002, kMostPeriod = 0.014; // 500 to 71 Hz
constexpr double kVoiced = 0.5;                             // the autocorrelation at a period, against that at none
constexpr double kUnderLoudestDb = 15;
constexpr double kMostHigh = 0.25; // of the power
constexpr double kHighHz = 4000;
constexpr double kMostSeconds = 4; // a word's begin is looked for in so much of it

struct Moment {
  double db = -120, voiced = 0, high = 0;
};

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
  const std::int64_t hop = frames(kHopSeconds), window = frames(kWindowSeconds), most = frames(kMostPeriod),
                     least = frames(kLeastPeriod), length = std::min(word.length(), frames(kMostSeconds));
  if (length < window + most) return std::nullopt;
  const StereoBuffer sound = heardOver(row, {word.begin, word.begin + Frames(length)});
  std::vector<float> x(static_cast<std::size_t>(length)), high(x.size());
  // One pole each: what is over the high edge, roughly.
  const double a = std::exp(-2 * M_PI * kHighHz / sampleRate);
  double low = 0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const auto k = static_cast<std::ptrdiff_t>(i);
    x[i] = (sound.left()[k] + sound.right()[k]) / 2;
    low += (1 - a) * (static_cast<double>(x[i]) - low);
    high[i] = x[i] - static_cast<float>(low);
  }
  std::vector<Moment> moments;
  for (std::int64_t at = 0; at + window + most <= length; at += hop) {
    Moment m;
    double power = 1e-12, highPower = 0;
    for (std::int64_t i = at; i < at + window; ++i) {
      const auto k = static_cast<std::size_t>(i);
      power += static_cast<double>(x[k]) * static_cast<double>(x[k]);
      highPower += static_cast<double>(high[k]) * static_cast<double>(high[k]);
    }
    m.db = 10 * std::log10(power / static_cast<double>(window));
    m.high = highPower / power;
    for (std::int64_t lag = least; lag <= most; lag += 2) {
      double both = 0, later = 1e-12;
      for (std::int64_t i = at; i < at + window; i += 2) {
        const double u = static_cast<double>(x[static_cast<std::size_t>(i)]),
                     v = static_cast<double>(x[static_cast<std::size_t>(i + lag)]);
        both += u * v;
        later += v * v;
      }
      m.voiced = std::max(m.voiced, 2 * both / (later + power / 2)); // every other frame
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
      return word.begin + Frames(first == 0 ? 0 : first * hop + window / 4);
    }
  }
  return std::nullopt;
}

} // namespace ivrin
