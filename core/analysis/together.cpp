#include "analysis/together.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ivrin {
namespace {

constexpr double kTappedBpm = 112, kTappedOctaves = 0.75; // where people tap, and how far around it
constexpr int kTeeth = 6;                                 // of the comb
constexpr double kHalves = 0.25;                          // how much agreeing after halves speaks against a period
constexpr double kHighsOfDrums = 0.25;
constexpr float kNotes = 0.2f;       // a step's weight of which notes are heard
constexpr double kMeanSeconds = 0.4; // what rises stands over its surroundings, so far on both sides
constexpr double kLeastSeconds = 5;  // less is no music
constexpr std::array<double, BeatStrength::kRanges> kRangeWeight = {1.2, 1.0, 0.8};

/// What stands over its surroundings, with a mean square of one.
Strengths standing(const Strengths& x, double stepSeconds) {
  const auto reach = static_cast<std::ptrdiff_t>(std::lround(kMeanSeconds / stepSeconds));
  std::vector<double> sum(x.size() + 1, 0);
  for (std::size_t i = 0; i < x.size(); ++i) sum[i + 1] = sum[i] + static_cast<double>(x[i]);
  Strengths out(x.size());
  double power = 0;
  const auto n = static_cast<std::ptrdiff_t>(x.size());
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const std::ptrdiff_t a = std::max<std::ptrdiff_t>(0, i - reach), b = std::min(n, i + reach + 1);
    const double mean =
        (sum[static_cast<std::size_t>(b)] - sum[static_cast<std::size_t>(a)]) / static_cast<double>(b - a);
    const double v = std::max(0.0, static_cast<double>(x[static_cast<std::size_t>(i)]) - mean);
    out[static_cast<std::size_t>(i)] = static_cast<float>(v);
    power += v * v;
  }
  const double rms = std::sqrt(power / static_cast<double>(std::max<std::size_t>(x.size(), 1)));
  if (rms > 1e-6)
    for (float& v : out) v = static_cast<float>(static_cast<double>(v) / rms);
  return out;
}

} // namespace

std::vector<double> autocorrelation(const Strengths& x, std::size_t lags, std::size_t from, std::size_t to) {
  const std::size_t size = to - from;
  double mean = 0;
  for (std::size_t i = from; i < to; ++i) mean += static_cast<double>(x[i]);
  mean /= static_cast<double>(std::max<std::size_t>(size, 1));
  Strengths y(size);
  for (std::size_t i = 0; i < size; ++i) y[i] = static_cast<float>(static_cast<double>(x[from + i]) - mean);
  std::vector<double> r(std::min(lags, size), 0);
  for (std::size_t l = 0; l < r.size(); ++l) {
    float lanes[8] = {};
    std::size_t i = 0;
    const std::size_t n = y.size() - l;
    for (; i + 8 <= n; i += 8)
      for (std::size_t k = 0; k < 8; ++k) lanes[k] += y[i + k] * y[i + k + l];
    double s = 0;
    for (const float v : lanes) s += static_cast<double>(v);
    for (; i < n; ++i) s += static_cast<double>(y[i]) * static_cast<double>(y[i + l]);
    r[l] = s / static_cast<double>(n);
  }
  const double zero = r.empty() || r[0] <= 0 ? 1 : r[0];
  for (double& v : r) v /= zero;
  return r;
}

double between(const std::vector<double>& x, double at) {
  if (at < 0 || at + 1 >= static_cast<double>(x.size())) return 0;
  const auto i = static_cast<std::size_t>(at);
  const double u = at - static_cast<double>(i);
  return x[i] * (1 - u) + x[i + 1] * u;
}
double between(const Strengths& x, double at) {
  if (at < 0 || at + 1 >= static_cast<double>(x.size())) return 0;
  const auto i = static_cast<std::size_t>(at);
  const double u = at - static_cast<double>(i);
  return static_cast<double>(x[i]) * (1 - u) + static_cast<double>(x[i + 1]) * u;
}

std::optional<Together> together(const std::vector<HeardRow>& rows, double sampleRate) {
  Together t;
  std::size_t steps = 0;
  for (const HeardRow& r : rows) {
    if (r.beats.steps() == 0) continue;
    t.step = r.beats.stepSeconds;
    t.begin = r.beats.begin;
    steps = std::max(steps, r.beats.steps());
  }
  if (static_cast<double>(steps) * t.step < kLeastSeconds) return std::nullopt;
  for (auto& x : t.range) x.assign(steps, 0);
  t.kick.assign(steps, 0);
  t.snare.assign(steps, 0);
  t.all.assign(steps, 0);
  bool any = false;
  for (const HeardRow& r : rows) {
    if (r.beats.steps() == 0) continue;
    const auto late = static_cast<std::ptrdiff_t>(
        std::llround(static_cast<double>((r.beats.begin - t.begin).count) / sampleRate / t.step));
    std::array<Strengths, BeatStrength::kRanges> own;
    Strengths sum(r.beats.steps(), 0);
    for (std::size_t g = 0; g < own.size(); ++g) {
      own[g] = r.beats.rise[g];
      for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += static_cast<float>(kRangeWeight[g]) * own[g][i];
    }
    double power = 0;
    for (const float v : sum) power += static_cast<double>(v) * static_cast<double>(v);
    if (power < 1e-6) continue;
    const Strengths stands = standing(sum, t.step);
    const std::vector<double> ac = autocorrelation(stands, static_cast<std::size_t>(2.0 / t.step), 0, stands.size());
    double regular = 0;
    for (auto l = static_cast<std::size_t>(0.2 / t.step); l < ac.size(); ++l) regular = std::max(regular, ac[l]);
    const double weight = std::max(0.02, regular * regular);
    any = true;
    const auto meanOf = [](const Strengths& x) {
      return std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(x.size());
    };
    const bool hasHighs = meanOf(own[2]) > kHighsOfDrums * meanOf(own[0]);
    for (std::size_t g = 0; g < own.size(); ++g) {
      const Strengths x = standing(own[g], t.step);
      for (std::size_t i = 0; i < x.size(); ++i) {
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(i) + late;
        if (at >= 0 && at < static_cast<std::ptrdiff_t>(steps)) {
          const float v = static_cast<float>(weight) * x[i];
          t.range[g][static_cast<std::size_t>(at)] += v;
          if (g == 0 && hasHighs) t.kick[static_cast<std::size_t>(at)] += v;
          if (g == 1 && hasHighs) t.snare[static_cast<std::size_t>(at)] += v;
        }
      }
    }
    for (std::size_t i = 0; i < stands.size(); ++i) {
      const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(i) + late;
      if (at >= 0 && at < static_cast<std::ptrdiff_t>(steps))
        t.all[static_cast<std::size_t>(at)] += static_cast<float>(weight) * stands[i];
    }
  }
  if (!any) return std::nullopt;
  return t;
}

double tapped(double bpm) {
  const double octaves = std::log2(bpm / kTappedBpm) / kTappedOctaves;
  return std::exp(-0.5 * octaves * octaves);
}

double comb(const std::vector<double>& ac, double period) {
  double on = 0, off = 0, weights = 0;
  for (int k = 1; k <= kTeeth; ++k) {
    if (period * k + 2 >= static_cast<double>(ac.size())) break;
    const double w = 1 / std::sqrt(static_cast<double>(k));
    // The best of a few lags: a period that is a little wrong, or a player who is.
    const double wide = std::min(2.0, 0.4 + 0.006 * period * k);
    on += w * std::max({between(ac, period * k - wide), between(ac, period * k), between(ac, period * k + wide)});
    off += w * between(ac, period * (k - 0.5));
    weights += w;
  }
  return weights > 0 ? (on - kHalves * off) / weights : 0;
}

Bars barsOf(const Together& t, const std::vector<HeardRow>& rows, const std::vector<double>& at, double sampleRate) {
  const std::size_t beats = at.size();
  std::vector<double> lows(beats, 0), news(beats, 0), all(beats, 0);
  for (std::size_t n = 0; n < beats; ++n) {
    for (int d = -1; d <= 2; ++d) {
      lows[n] = std::max(lows[n], between(t.range[0], at[n] + d));
      all[n] = std::max(all[n], between(t.all, at[n] + d));
    }
  }
  for (const HeardRow& r : rows) {
    if (r.chroma.steps.empty()) continue;
    const auto mean = [&](double from, double to) { // seconds of the rows' time
      Chroma c{};
      const double first = static_cast<double>(r.chroma.begin.count) / sampleRate;
      const auto a = static_cast<std::ptrdiff_t>(std::ceil((from - first) / r.chroma.stepSeconds)),
                 b = static_cast<std::ptrdiff_t>(std::floor((to - first) / r.chroma.stepSeconds));
      for (std::ptrdiff_t i = std::max<std::ptrdiff_t>(a, 0);
           i <= b && i < static_cast<std::ptrdiff_t>(r.chroma.steps.size()); ++i)
        for (std::size_t k = 0; k < c.size(); ++k) c[k] += r.chroma.steps[static_cast<std::size_t>(i)][k];
      return c;
    };
    for (std::size_t n = 2; n + 2 < beats; ++n) {
      const double here = t.secondsAt(at[n], sampleRate);
      const Chroma a = mean(t.secondsAt(at[n - 2], sampleRate), here - 0.1),
                   b = mean(here + 0.1, t.secondsAt(at[n + 2], sampleRate));
      double ab = 0, aa = 1e-9, bb = 1e-9;
      for (std::size_t k = 0; k < a.size(); ++k) {
        ab += static_cast<double>(a[k]) * static_cast<double>(b[k]);
        aa += static_cast<double>(a[k]) * static_cast<double>(a[k]);
        bb += static_cast<double>(b[k]) * static_cast<double>(b[k]);
      }
      if (aa > 1e-4 && bb > 1e-4) news[n] += (1 - ab / std::sqrt(aa * bb)) * std::sqrt(std::min(aa, bb));
    }
  }
  const auto normal = [](std::vector<double>& v) {
    const double n = static_cast<double>(std::max<std::size_t>(v.size(), 1)),
                 mean = std::accumulate(v.begin(), v.end(), 0.0) / n;
    double power = 0;
    for (const double x : v) power += (x - mean) * (x - mean);
    const double dev = std::sqrt(power / n);
    for (double& x : v) x = dev > 1e-9 ? (x - mean) / dev : 0;
  };
  normal(lows);
  normal(news);
  normal(all);
  Bars best;
  double most = -1e9, next = -1e9;
  for (const int m : {4, 3, 5, 7})
    for (int p = 0; p < m; ++p) {
      double sum = 0;
      int n = 0;
      for (std::size_t b = static_cast<std::size_t>(p); b < beats; b += static_cast<std::size_t>(m), ++n)
        sum += lows[b] + 1.6 * news[b] + 0.3 * all[b];
      // As likely by chance or not: the sum of n such draws has the square root of n for its spread.
      const double z = n > 1 ? sum / std::sqrt(static_cast<double>(n)) * (m == 4 ? 1.15 : m == 3 ? 1.0 : 0.9) : 0;
      if (z > most) {
        next = most;
        most = z;
        best.beats = m;
        best.phase = static_cast<std::size_t>(p);
      } else {
        next = std::max(next, z);
      }
    }
  best.confidence = std::clamp((most - std::max(next, 0.0)) / 6, 0.0, 1.0) * std::clamp(most / 4, 0.0, 1.0);
  return best;
}

double firstSound(const Together& t, const std::vector<HeardRow>& rows, double sampleRate) {
  double loudest = 0;
  for (const float v : t.all) loudest = std::max(loudest, static_cast<double>(v));
  std::size_t first = 0;
  while (first < t.all.size() && static_cast<double>(t.all[first]) < 0.15 * loudest) ++first;
  double sound = t.secondsAt(static_cast<double>(first), sampleRate);
  for (const HeardRow& r : rows) // notes that come in softly are played too
    for (std::size_t i = 0; i < r.chroma.steps.size(); ++i) {
      const double at =
          static_cast<double>(r.chroma.begin.count) / sampleRate + static_cast<double>(i) * r.chroma.stepSeconds;
      if (at >= sound) break;
      if (std::accumulate(r.chroma.steps[i].begin(), r.chroma.steps[i].end(), 0.0f) > kNotes)
        sound = std::min(sound, at + r.chroma.stepSeconds); // a step hears what comes half a window later
    }
  return sound;
}

} // namespace ivrin
