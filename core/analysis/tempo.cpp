#include "analysis/tempo.h"

#include "analysis/median.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>
#include <set>

namespace ivrin {
namespace {

constexpr double kLeastBpm = 40, kMostBpm = 240, kStepOfBpm = 1.004;
constexpr double kLeastOffered = 20, kMostOffered = 300;
constexpr double kTappedBpm = 112, kTappedOctaves = 0.75; // where people tap, and how far around it
constexpr int kTeeth = 6;                                 // of the comb
constexpr double kHalves = 0.25;                          // how much agreeing after halves speaks against a period
constexpr double kBackbeat = 1.4;                         // what a perfect one is worth, as a share of the comb
constexpr double kHighsOfDrums = 0.25;
constexpr double kCombCounts = 1.3; // against where people tap
constexpr float kNotes = 0.2f;      // a step's weight of which notes are heard
constexpr std::size_t kFew = 12;    // of the tempi that are looked at closely
constexpr double kNeighbours = 0.03;
constexpr double kWandering = 0.15;  // what a tempo is worth whose beats do not stay where they are
constexpr double kMeanSeconds = 0.4; // what rises stands over its surroundings, so far on both sides
constexpr double kSteadyWindow = 10; // in which beats are looked for again, to see that they stay
constexpr double kLeastSeconds = 5;  // less is no music
constexpr std::array<double, BeatStrength::kRanges> kRangeWeight = {1.2, 1.0, 0.8};
constexpr double kAttackSeconds = 0.035; // an attack so near to a beat is the beat's
constexpr double kLeastBeat = 0.15;      // of its parts, for a beat to be one
constexpr double kStruckBeats =
    0.2; // so many of its beats have an attack on them, or it is no beat: tones can beat too
constexpr double kLateSeconds = -0.0075; // by so much the rise comes before the attack itself: measured on clicks

using Samples = std::vector<float>;

/// What stands over its surroundings, with a mean square of one.
Samples standing(const Samples& x, double stepSeconds) {
  const auto reach = static_cast<std::ptrdiff_t>(std::lround(kMeanSeconds / stepSeconds));
  std::vector<double> sum(x.size() + 1, 0);
  for (std::size_t i = 0; i < x.size(); ++i) sum[i + 1] = sum[i] + static_cast<double>(x[i]);
  Samples out(x.size());
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

/// Of what stands over its mean, up to a lag; 1 at none.
std::vector<double> autocorrelation(const Samples& x, std::size_t lags) {
  const double mean =
      std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(std::max<std::size_t>(x.size(), 1));
  Samples y(x.size());
  for (std::size_t i = 0; i < x.size(); ++i) y[i] = static_cast<float>(static_cast<double>(x[i]) - mean);
  std::vector<double> r(std::min(lags, x.size()), 0);
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
double between(const Samples& x, double at) {
  if (at < 0 || at + 1 >= static_cast<double>(x.size())) return 0;
  const auto i = static_cast<std::size_t>(at);
  const double u = at - static_cast<double>(i);
  return static_cast<double>(x[i]) * (1 - u) + static_cast<double>(x[i + 1]) * u;
}

/// Σ x(t)·exp(−2πi t/period) over steps [from, to).
std::complex<double> waveOf(const Samples& x, double period, std::size_t from, std::size_t to) {
  const std::complex<double> turn = std::polar(1.0, -2 * std::numbers::pi / period);
  std::complex<double> at = std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(from) / period), sum = 0;
  for (std::size_t i = from; i < to; ++i) {
    sum += static_cast<double>(x[i]) * at;
    at *= turn;
  }
  return sum;
}
std::complex<double> waveOf(const Samples& x, double period) {
  return waveOf(x, period, 0, x.size());
}

/// All rows together, those that are regular before those that are not.
struct Together {
  double step = 0;
  Frames begin;
  std::array<Samples, BeatStrength::kRanges> range;
  Samples kick, snare; // lows and middles of rows that have highs too: a bass has none
  Samples all;
};

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
    std::array<Samples, BeatStrength::kRanges> own;
    Samples sum(r.beats.steps(), 0);
    for (std::size_t g = 0; g < own.size(); ++g) {
      own[g] = r.beats.rise[g];
      for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += static_cast<float>(kRangeWeight[g]) * own[g][i];
    }
    double power = 0;
    for (const float v : sum) power += static_cast<double>(v) * static_cast<double>(v);
    if (power < 1e-6) continue;
    const Samples stands = standing(sum, t.step);
    const std::vector<double> ac = autocorrelation(stands, static_cast<std::size_t>(2.0 / t.step));
    double regular = 0;
    for (auto l = static_cast<std::size_t>(0.2 / t.step); l < ac.size(); ++l) regular = std::max(regular, ac[l]);
    const double weight = std::max(0.02, regular * regular);
    any = true;
    const auto meanOf = [](const Samples& x) {
      return std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(x.size());
    };
    const bool hasHighs = meanOf(own[2]) > kHighsOfDrums * meanOf(own[0]);
    for (std::size_t g = 0; g < own.size(); ++g) {
      const Samples x = standing(own[g], t.step);
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

/// How much better what begins agrees with itself after whole periods than after halves.
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

/// Kick and snare in turns at this period: 1 where one has all its beats between the other's.
double backbeat(const Together& t, double period) {
  const std::complex<double> low = waveOf(t.kick, 2 * period);
  const double l = std::accumulate(t.kick.begin(), t.kick.end(), 1e-9);
  double most = 0;
  for (const Samples* x : {&t.snare, &t.range[2]}) {
    const std::complex<double> high = waveOf(*x, 2 * period);
    const double h = std::accumulate(x->begin(), x->end(), 1e-9);
    most = std::max(most, -(low * std::conj(high)).real() / (l * h) * 6);
  }
  return std::min(most, 1.0);
}

/// The period near `period` at which beats and their parts add up best over all of the song.
double exactPeriod(const Samples& all, double period) {
  const auto strength = [&](double p) {
    return std::abs(waveOf(all, p)) + 0.6 * std::abs(waveOf(all, p / 2)) + 0.4 * std::abs(waveOf(all, p / 4));
  };
  // A turn of phase over the whole song is one step of the search at its finest.
  const double finest = period * period / static_cast<double>(all.size()) / 16;
  double best = period, most = strength(period);
  for (double wide = 0.012 * period, step = std::max(finest, wide / 40); wide > finest / 4; wide = step, step /= 8) {
    const double middle = best;
    for (double p = middle - wide; p <= middle + wide; p += step)
      if (const double s = strength(p); s > most) {
        most = s;
        best = p;
      }
  }
  return best;
}

/// Where beats fall, in steps: the phase with most of what begins on it, lows twice.
double phaseOf(const Together& t, double period) {
  double best = 0, most = -1;
  for (double at = 0; at < period; at += 0.25) {
    double sum = 0;
    for (double p = at; p < static_cast<double>(t.all.size()); p += period)
      sum += between(t.all, p) + 2 * between(t.kick, p);
    sum /= std::floor((static_cast<double>(t.all.size()) - at) / period) + 1;
    if (sum > most) {
      most = sum;
      best = at;
    }
  }
  return best;
}

/// How steadily beats keep their phase, 0..1: the phase in windows along the song against that of all of it.
double steadiness(const Together& t, double period) {
  const Samples& all = t.all;
  const double step = t.step;
  const auto window = static_cast<std::size_t>(kSteadyWindow / step);
  std::complex<double> sum = 0;
  double sizes = 0;
  for (std::size_t from = 0; from + window / 2 < all.size(); from += window / 2) {
    const std::size_t to = std::min(all.size(), from + window);
    double weight = 1e-9;
    for (std::size_t i = from; i < to; ++i) weight += static_cast<double>(all[i]);
    std::complex<double> w = 0;
    // Beats, or their parts where those are what is played.
    for (const int part : {1, 2, 3, 4}) {
      const std::complex<double> x = waveOf(all, period / part, from, to);
      if (std::abs(x) > std::abs(w) * 1.1) w = x;
    }
    sum += w;
    sizes += weight;
  }
  if (sizes <= 0) return 0;
  // Parts alone are another's beats: something must tell the beats themselves apart.
  double own = 0;
  for (const Samples* x : {&all, &t.kick}) {
    double parts = 1e-9;
    for (const int part : {2, 3, 4}) parts = std::max(parts, std::abs(waveOf(*x, period / part)));
    own = std::max(own, std::abs(waveOf(*x, period)) / parts);
  }
  return std::abs(sum) / sizes * std::min(1.0, own / kLeastBeat);
}

struct Bars {
  int beats = 4;
  std::size_t phase = 0; // of the beats
  double confidence = 0;
};

/// On which beat lows, and new harmonies, fall.
Bars barsOf(const Together& t, const std::vector<HeardRow>& rows, double period, double phase, double sampleRate) {
  const auto beats = static_cast<std::size_t>((static_cast<double>(t.all.size()) - phase) / period);
  std::vector<double> lows(beats, 0), news(beats, 0), all(beats, 0);
  for (std::size_t n = 0; n < beats; ++n) {
    const double at = phase + static_cast<double>(n) * period;
    for (int d = -1; d <= 2; ++d) {
      lows[n] = std::max(lows[n], between(t.range[0], at + d));
      all[n] = std::max(all[n], between(t.all, at + d));
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
    const double beat = period * t.step, start = static_cast<double>(t.begin.count) / sampleRate + phase * t.step;
    for (std::size_t n = 2; n + 2 < beats; ++n) {
      const double at = start + static_cast<double>(n) * beat;
      const Chroma a = mean(at - 2 * beat, at - 0.1), b = mean(at + 0.1, at + 2 * beat);
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

} // namespace

std::optional<FoundTempo> findTempo(const std::vector<HeardRow>& rows, double sampleRate) {
  const auto t = together(rows, sampleRate);
  if (!t) return std::nullopt;
  const std::vector<double> ac = autocorrelation(t->all, static_cast<std::size_t>(10 / t->step));
  struct Guess {
    double bpm, comb, score, period, steady;
  };
  std::vector<Guess> guesses;
  const auto periodOf = [&](double bpm) { return 60 / bpm / t->step; };
  for (double bpm = kLeastBpm; bpm <= kMostBpm; bpm *= kStepOfBpm) {
    const double c = comb(ac, periodOf(bpm));
    guesses.push_back({bpm, c, 0, 0, 0});
  }
  // Peaks only: the backbeat is asked of few.
  std::vector<Guess> peaks;
  for (std::size_t i = 1; i + 1 < guesses.size(); ++i)
    if (guesses[i].comb > guesses[i - 1].comb && guesses[i].comb >= guesses[i + 1].comb && guesses[i].comb > 0)
      peaks.push_back(guesses[i]);
  if (peaks.empty()) return std::nullopt;
  // One of each neighbourhood, the likeliest dozen.
  for (Guess& g : peaks) g.score = std::pow(g.comb, kCombCounts) * tapped(g.bpm);
  const auto better = [](const Guess& a, const Guess& b) { return a.score > b.score; };
  std::stable_sort(peaks.begin(), peaks.end(), better);
  std::vector<Guess> few;
  for (const Guess& g : peaks)
    if (few.size() < kFew &&
        std::none_of(few.begin(), few.end(), [&](const Guess& f) { return std::abs(f.bpm / g.bpm - 1) < kNeighbours; }))
      few.push_back(g);
  peaks = std::move(few);
  for (Guess& g : peaks) {
    g.period = exactPeriod(t->all, periodOf(g.bpm));
    g.steady = steadiness(*t, g.period);
    g.score *= (kWandering + g.steady) * (1 + kBackbeat * backbeat(*t, g.period));
  }
  std::stable_sort(peaks.begin(), peaks.end(), better);
  const Guess best = peaks.front();

  FoundTempo found;
  const double period = best.period;
  found.bpm = 60 / (period * t->step);
  const double phase = phaseOf(*t, period);
  double beat = static_cast<double>(t->begin.count) / sampleRate + phase * t->step - kLateSeconds;
  // To where attacks lie.
  std::vector<double> off;
  std::set<long> struck;
  for (const HeardRow& r : rows)
    for (const Frames& f : r.attacks) {
      const double at = static_cast<double>(f.count) / sampleRate, n = std::round((at - beat) / (period * t->step));
      const double d = at - beat - n * period * t->step;
      if (std::abs(d) >= kAttackSeconds) continue;
      off.push_back(d);
      struck.insert(std::lround(n));
    }
  const double beats = static_cast<double>(t->all.size()) / period;
  if (off.size() >= 8) beat += median(off);
  const double seconds = period * t->step;
  beat -= std::floor(beat / seconds) * seconds;
  if (seconds - beat < 0.02) beat -= seconds; // a first beat at the very start
  found.beatSeconds = beat;

  // Confidence.
  double other = 0;
  for (const Guess& g : peaks) {
    bool related = false; // its beats are some of ours, or ours some of its
    for (const double r : {1.0, 2.0, 0.5, 3.0, 1 / 3.0, 1.5, 2 / 3.0, 4.0, 0.25, 0.75, 4 / 3.0, 0.4, 2.5})
      related = related || std::abs(g.period / best.period / r - 1) < 0.02;
    if (!related) other = std::max(other, g.comb * (kWandering + g.steady));
  }
  const double lead = std::clamp(1 - other / std::max(best.comb * (kWandering + best.steady), 1e-9), 0.0, 1.0);
  found.confidence = std::clamp((best.comb - 0.1) / 0.3, 0.0, 1.0) * std::clamp((best.steady - 0.3) / 0.4, 0.0, 1.0) *
                     (0.3 + 0.7 * std::min(1.0, lead * 1.5)) *
                     std::min(1.0, static_cast<double>(struck.size()) / (kStruckBeats * beats));

  const auto likelier = [&](double a, double b) {
    return comb(ac, periodOf(a)) * tapped(a) > comb(ac, periodOf(b)) * tapped(b);
  };
  for (const auto& [first, second] : {std::pair{0.5, 2.0}, std::pair{2 / 3.0, 1.5}}) {
    std::vector<double> both;
    for (const double r : {first, second})
      if (const double bpm = found.bpm * r; bpm >= kLeastOffered && bpm <= kMostOffered) both.push_back(bpm);
    std::stable_sort(both.begin(), both.end(), likelier);
    found.alternatives.insert(found.alternatives.end(), both.begin(), both.end());
  }

  const Bars bars = barsOf(*t, rows, period, phase, sampleRate);
  found.beatsInBar = bars.beats;
  found.barConfidence = bars.confidence * found.confidence;
  // The bar line before the first thing that is played.
  double loudest = 0;
  for (const float v : t->all) loudest = std::max(loudest, static_cast<double>(v));
  std::size_t first = 0;
  while (first < t->all.size() && static_cast<double>(t->all[first]) < 0.15 * loudest) ++first;
  double sound = static_cast<double>(t->begin.count) / sampleRate + static_cast<double>(first) * t->step;
  for (const HeardRow& r : rows) // notes that come in softly are played too
    for (std::size_t i = 0; i < r.chroma.steps.size(); ++i) {
      const double at =
          static_cast<double>(r.chroma.begin.count) / sampleRate + static_cast<double>(i) * r.chroma.stepSeconds;
      if (at >= sound) break;
      if (std::accumulate(r.chroma.steps[i].begin(), r.chroma.steps[i].end(), 0.0f) > kNotes)
        sound = std::min(sound, at + r.chroma.stepSeconds); // a step hears what comes half a window later
    }
  const double firstBeat = static_cast<double>(t->begin.count) / sampleRate + phase * t->step, // as barsOf() counts
      shift = std::round((found.beatSeconds - firstBeat) / seconds);
  double line = found.beatSeconds + (static_cast<double>(bars.phase) - shift) * seconds;
  const double bar = bars.beats * seconds;
  line += std::floor((sound + 0.25 * seconds - line) / bar) * bar;
  while (line < -0.03) line += bar;
  found.barOneSeconds = std::abs(line) < 0.004 ? 0 : line;
  return found;
}

} // namespace ivrin
