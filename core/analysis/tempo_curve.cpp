#include "analysis/tempo_curve.h"

#include "analysis/median.h"
#include "analysis/together.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kMomentSeconds = 6, kMomentHop = 0.5; // in which a moment's tempo is looked for
constexpr double kCurveStep = 1.01;
constexpr double kAround = 0.2;       // octaves about the tempo of all of it
constexpr double kPrior = 0.2;        // of a comb, where nothing agrees
constexpr int kMostSteps = 4;         // of them that a tempo goes from window to window
constexpr double kChangeCosts = 0.04; // a step, of a comb
constexpr double kEven = 120;         // how much beats keep to the tempo, against lying on what begins
constexpr double kLeastOfPeriod = 0.7, kMostOfPeriod = 1.45; // of the period
constexpr int kEvenedBeats = 4;                              // beats on each side that even one out
constexpr double kNearPulse = 0.12;                          // of a beat
constexpr double kUneven = 0.02, kWild = 0.04;               // deviations, in beats: of players, and of nobody's beat
constexpr double kLeastApart = 0.05;                         // seconds: no beat comes before the one it follows
constexpr double kFewStruck = 0.3, kAllStruck = 0.7;
constexpr double kOnTheBeat = 0.012;                       // seconds
constexpr double kBetter = 0.1;                            // of all beats
constexpr double kLeastBpmOfMap = 20, kMostBpmOfMap = 400; // what a song can say

/// The period of each window, in steps.
std::vector<double> periodsOf(const Together& t, double around) {
  const auto window = static_cast<std::size_t>(kMomentSeconds / t.step),
             hop = static_cast<std::size_t>(kMomentHop / t.step);
  std::vector<double> bpms;
  for (double bpm = kLeastBpm; bpm <= kMostBpm; bpm *= kCurveStep) bpms.push_back(bpm);
  std::vector<std::vector<double>> score;
  for (std::size_t middle = 0; middle < t.all.size(); middle += hop) {
    const std::size_t from = middle > window / 2 ? middle - window / 2 : 0, to = std::min(t.all.size(), from + window);
    const std::vector<double> ac = autocorrelation(t.all, static_cast<std::size_t>(3 / t.step), from, to);
    std::vector<double>& s = score.emplace_back();
    for (const double bpm : bpms) {
      const double octaves = std::log2(bpm / around) / kAround;
      s.push_back((kPrior + std::max(0.0, comb(ac, 60 / bpm / t.step))) * std::exp(-0.5 * octaves * octaves));
    }
  }
  // The likeliest way through them.
  std::vector<std::vector<int>> came(score.size(), std::vector<int>(bpms.size(), 0));
  std::vector<double> sum = score.front();
  for (std::size_t w = 1; w < score.size(); ++w) {
    std::vector<double> next(bpms.size());
    for (int b = 0; b < static_cast<int>(bpms.size()); ++b) {
      double most = -1e9;
      for (int d = -kMostSteps; d <= kMostSteps; ++d) {
        const int a = b + d;
        if (a < 0 || a >= static_cast<int>(bpms.size())) continue;
        const double v = sum[static_cast<std::size_t>(a)] - kChangeCosts * std::abs(d);
        if (v > most) {
          most = v;
          came[w][static_cast<std::size_t>(b)] = a;
        }
      }
      next[static_cast<std::size_t>(b)] = most + score[w][static_cast<std::size_t>(b)];
    }
    sum = std::move(next);
  }
  std::vector<double> periods(score.size());
  auto at = static_cast<std::size_t>(std::max_element(sum.begin(), sum.end()) - sum.begin());
  for (std::size_t w = score.size(); w-- > 0;) {
    periods[w] = 60 / bpms[at] / t.step;
    at = static_cast<std::size_t>(came[w][at]);
  }
  return periods;
}

/// Beats in steps: on what begins, lows twice, and so far apart as the tempo there says.
std::vector<double> beatsAlong(const Together& t, const std::vector<double>& periods) {
  const std::size_t n = t.all.size(), hop = static_cast<std::size_t>(kMomentHop / t.step);
  std::vector<double> own(n);
  double power = 0;
  for (std::size_t i = 0; i < n; ++i) {
    own[i] = static_cast<double>(t.all[i]) + 2 * static_cast<double>(t.kick[i]);
    power += own[i] * own[i];
  }
  const double rms = std::sqrt(power / static_cast<double>(n)) + 1e-12;
  std::vector<double> total(n);
  std::vector<std::ptrdiff_t> came(n, -1);
  for (std::size_t i = 0; i < n; ++i) {
    const double place = static_cast<double>(i) / static_cast<double>(hop);
    const double period = between(periods, std::min(place, static_cast<double>(periods.size()) - 1.001));
    const auto least = static_cast<std::size_t>(kLeastOfPeriod * period),
               most = static_cast<std::size_t>(kMostOfPeriod * period);
    double best = 0;
    for (std::size_t d = std::max<std::size_t>(least, 1); d <= most && d <= i; ++d) {
      const double late = std::log(static_cast<double>(d) / period), v = total[i - d] - kEven * late * late;
      if (v > best) {
        best = v;
        came[i] = static_cast<std::ptrdiff_t>(i - d);
      }
    }
    total[i] = own[i] / rms + best;
  }
  // The last beat: the best of a beat and a half.
  const std::size_t last = std::min(n, static_cast<std::size_t>(1.5 * periods.back()));
  std::ptrdiff_t at = std::max_element(total.end() - static_cast<std::ptrdiff_t>(last), total.end()) - total.begin();
  std::vector<double> beats;
  for (; at >= 0; at = came[static_cast<std::size_t>(at)]) beats.push_back(static_cast<double>(at));
  std::reverse(beats.begin(), beats.end());
  return beats;
}

/// The value at the middle of a parabola through the neighbours (A. Savitzky and M. Golay, Anal. Chem. 36 (1964)), by
/// least squares; at the ends through what there is.
std::vector<double> evened(const std::vector<double>& x, const std::vector<double>& weight) {
  std::vector<double> out(x.size());
  const auto n = static_cast<std::ptrdiff_t>(x.size());
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    std::array<double, 5> s{}; // Σ w·d^k
    std::array<double, 3> y{}; // Σ w·x·d^k
    for (std::ptrdiff_t k = std::max<std::ptrdiff_t>(0, i - kEvenedBeats); k <= std::min(n - 1, i + kEvenedBeats);
         ++k) {
      const double d = static_cast<double>(k - i), w = weight[static_cast<std::size_t>(k)],
                   v = x[static_cast<std::size_t>(k)] - x[static_cast<std::size_t>(i)];
      double p = w;
      for (std::size_t e = 0; e < s.size(); ++e, p *= d) {
        s[e] += p;
        if (e < y.size()) y[e] += p * v;
      }
    }
    // Cramer's rule for the constant term of the normal equations.
    const double whole =
        s[0] * (s[2] * s[4] - s[3] * s[3]) - s[1] * (s[1] * s[4] - s[3] * s[2]) + s[2] * (s[1] * s[3] - s[2] * s[2]);
    const double own =
        y[0] * (s[2] * s[4] - s[3] * s[3]) - s[1] * (y[1] * s[4] - s[3] * y[2]) + s[2] * (y[1] * s[3] - s[2] * y[2]);
    out[static_cast<std::size_t>(i)] = x[static_cast<std::size_t>(i)] + (std::abs(whole) > 1e-9 ? own / whole : 0);
  }
  return out;
}

/// Of all rows, in seconds.
std::vector<double> attacksOf(const std::vector<HeardRow>& rows, double sampleRate) {
  std::vector<double> attacks;
  for (const HeardRow& r : rows)
    for (const Frames& f : r.attacks) attacks.push_back(static_cast<double>(f.count) / sampleRate);
  std::sort(attacks.begin(), attacks.end());
  return attacks;
}

} // namespace

std::optional<FoundCurve> findTempoCurve(const std::vector<HeardRow>& rows, double sampleRate, double around) {
  const auto t = together(rows, sampleRate);
  if (!t) return std::nullopt;
  const std::vector<double> steps = beatsAlong(*t, periodsOf(*t, around));
  if (steps.size() < 2 * kEvenedBeats) return std::nullopt;
  const Bars bars = barsOf(*t, rows, steps, sampleRate);

  // To where attacks lie; a beat without any is where its neighbours want it.
  const std::vector<double> attacks = attacksOf(rows, sampleRate);
  std::vector<double> beats, weight;
  int struck = 0;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const double at = t->secondsAt(steps[i], sampleRate) - kLateSeconds;
    const double beat = (i + 1 < steps.size() ? steps[i + 1] - steps[i] : steps[i] - steps[i - 1]) * t->step;
    const double near = std::min(kAttackSeconds, kNearPulse * beat);
    std::vector<double> own;
    for (auto a = std::lower_bound(attacks.begin(), attacks.end(), at - near); a != attacks.end() && *a < at + near;
         ++a)
      own.push_back(*a);
    struck += !own.empty();
    beats.push_back(own.empty() ? at : median(own));
    weight.push_back(own.empty() ? 0.1 : 1);
  }
  std::vector<double> even = evened(beats, weight);
  for (std::size_t i = 1; i < even.size(); ++i) even[i] = std::max(even[i], even[i - 1] + kLeastApart);
  double off = 0, weights = 0;
  for (std::size_t i = 1; i + 1 < beats.size(); ++i) {
    const double d = (beats[i] - even[i]) / ((even[i + 1] - even[i - 1]) / 2);
    off += weight[i] * d * d;
    weights += weight[i];
  }
  const double uneven = std::sqrt(off / std::max(weights, 1e-9)),
               share = static_cast<double>(struck) / static_cast<double>(beats.size());
  FoundCurve found;
  found.confidence = std::clamp((kWild - uneven) / (kWild - kUneven), 0.0, 1.0) *
                     std::clamp((share - kFewStruck) / (kAllStruck - kFewStruck), 0.0, 1.0);
  found.beatsInBar = bars.beats;
  found.barConfidence = bars.confidence * found.confidence;

  // From the bar line on before the first thing that is played.
  found.beats = even;
  const double first = found.beats[1] - found.beats[0];
  const double sound = firstSound(*t, rows, sampleRate) + 0.25 * first;
  auto line = static_cast<std::ptrdiff_t>(bars.phase);
  for (double before = found.beats.front() - first; before >= -0.03; before -= first, ++line)
    found.beats.insert(found.beats.begin(), before);
  // Where nobody can tell, the first beat that sounds is the first of a bar.
  const std::ptrdiff_t step = bars.confidence < kLeastOfBars ? 1 : bars.beats;
  line %= step;
  while (line + step < static_cast<std::ptrdiff_t>(found.beats.size()) &&
         found.beats[static_cast<std::size_t>(line + step)] <= sound)
    line += step;
  found.beats.erase(found.beats.begin(), found.beats.begin() + line);
  if (std::abs(found.beats.front()) < 0.004) found.beats.front() = 0;
  return found;
}

std::vector<TempoEntry> tempiOf(const FoundCurve& curve, double within) {
  const std::vector<double>& b = curve.beats;
  std::vector<TempoEntry> map;
  if (b.size() < 2) return map;
  double at = b.front(); // where the map is at the beat that it has come to
  std::size_t i = 0;
  const auto holds = [&](std::size_t j) {
    const double beat = (b[j] - at) / static_cast<double>(j - i);
    if (60 / beat < kLeastBpmOfMap || 60 / beat > kMostBpmOfMap) return false;
    for (std::size_t k = i + 1; k < j; ++k)
      if (std::abs(at + beat * static_cast<double>(k - i) - b[k]) > within) return false;
    return true;
  };
  while (i + 1 < b.size()) {
    // Whole bars as long as they will do, else the most beats that will.
    const auto bar = static_cast<std::size_t>(curve.beatsInBar);
    std::size_t j = i + 1;
    for (std::size_t k = i + (i % bar == 0 ? bar : bar - i % bar); k < b.size() && holds(k); k += bar) j = k;
    if (j == i + 1)
      while (j + 1 < b.size() && j % bar != 0 && holds(j + 1)) ++j;
    const double beats = static_cast<double>(j - i);
    const double bpm = std::clamp(std::round(6e5 * beats / (b[j] - at)) / 1e4, kLeastBpmOfMap, kMostBpmOfMap);
    if (map.empty() || map.back().bpm != bpm) map.push_back({Beats::ofQuarters(static_cast<double>(i)), bpm});
    at += 60 / bpm * beats;
    i = j;
  }
  return map;
}

bool followsBetter(const FoundCurve& curve, const FoundTempo& steady, const std::vector<HeardRow>& rows,
                   double sampleRate) {
  if (curve.beats.size() < 2) return false;
  const std::vector<double> attacks = attacksOf(rows, sampleRate);
  const auto struck = [&](double at) {
    const auto a = std::lower_bound(attacks.begin(), attacks.end(), at - kOnTheBeat);
    return a != attacks.end() && *a < at + kOnTheBeat;
  };
  double own = 0, its = 0, of = 0;
  for (const double at : curve.beats) own += struck(at);
  const double beat = 60 / steady.bpm,
               first = std::ceil((curve.beats.front() - kOnTheBeat - steady.beatSeconds) / beat);
  for (double at = steady.beatSeconds + first * beat; at < curve.beats.back() + kOnTheBeat; at += beat, ++of)
    its += struck(at);
  return of > 0 && own / static_cast<double>(curve.beats.size()) > its / of + kBetter;
}

} // namespace ivrin
