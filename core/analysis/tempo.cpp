#include "analysis/tempo.h"

#include "analysis/median.h"
#include "analysis/together.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <numeric>
#include <set>

namespace ivrin {
namespace {

constexpr double kStepOfBpm = 1.004;
constexpr double kLeastOffered = 20, kMostOffered = 300;
constexpr double kBackbeat = 1.4; // what a perfect one is worth, as a share of the comb
constexpr std::size_t kFew = 12;  // of the tempi that are looked at closely
constexpr double kNeighbours = 0.03;
constexpr double kWandering = 0.15;  // what a tempo is worth whose beats do not stay where they are
constexpr double kSteadyWindow = 10; // in which beats are looked for again, to see that they stay
constexpr double kLeastBeat = 0.15;  // of its parts, for a beat to be one
constexpr double kStruckBeats =
    0.2; // so many of its beats have an attack on them, or it is no beat: tones can beat too

/// Σ x(t)·exp(−2πi t/period) over steps [from, to).
std::complex<double> waveOf(const Strengths& x, double period, std::size_t from, std::size_t to) {
  const std::complex<double> turn = std::polar(1.0, -2 * std::numbers::pi / period);
  std::complex<double> at = std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(from) / period), sum = 0;
  for (std::size_t i = from; i < to; ++i) {
    sum += static_cast<double>(x[i]) * at;
    at *= turn;
  }
  return sum;
}
std::complex<double> waveOf(const Strengths& x, double period) {
  return waveOf(x, period, 0, x.size());
}

/// Kick and snare in turns at this period: 1 where one has all its beats between the other's.
double backbeat(const Together& t, double period) {
  const std::complex<double> low = waveOf(t.kick, 2 * period);
  const double l = std::accumulate(t.kick.begin(), t.kick.end(), 1e-9);
  double most = 0;
  for (const Strengths* x : {&t.snare, &t.range[2]}) {
    const std::complex<double> high = waveOf(*x, 2 * period);
    const double h = std::accumulate(x->begin(), x->end(), 1e-9);
    most = std::max(most, -(low * std::conj(high)).real() / (l * h) * 6);
  }
  return std::min(most, 1.0);
}

/// The period near `period` at which beats and their parts add up best over all of the song.
double exactPeriod(const Strengths& all, double period) {
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
  const Strengths& all = t.all;
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
  for (const Strengths* x : {&all, &t.kick}) {
    double parts = 1e-9;
    for (const int part : {2, 3, 4}) parts = std::max(parts, std::abs(waveOf(*x, period / part)));
    own = std::max(own, std::abs(waveOf(*x, period)) / parts);
  }
  return std::abs(sum) / sizes * std::min(1.0, own / kLeastBeat);
}

} // namespace

std::optional<FoundTempo> findTempo(const std::vector<HeardRow>& rows, double sampleRate) {
  const auto t = together(rows, sampleRate);
  if (!t) return std::nullopt;
  const std::vector<double> ac = autocorrelation(t->all, static_cast<std::size_t>(10 / t->step), 0, t->all.size());
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

  std::vector<double> at;
  for (double p = phase; p + period <= static_cast<double>(t->all.size()); p += period) at.push_back(p);
  const Bars bars = barsOf(*t, rows, at, sampleRate);
  found.beatsInBar = bars.beats;
  found.barConfidence = bars.confidence * found.confidence;
  const double sound = firstSound(*t, rows, sampleRate);
  const double firstBeat = static_cast<double>(t->begin.count) / sampleRate + phase * t->step, // as barsOf() counts
      shift = std::round((found.beatSeconds - firstBeat) / seconds);
  double line = found.beatSeconds + (static_cast<double>(bars.phase) - shift) * seconds;
  // Where nobody can tell, the first beat that sounds is the first of a bar.
  const double bar = (bars.confidence < kLeastOfBars ? 1 : bars.beats) * seconds;
  line += std::floor((sound + 0.25 * seconds - line) / bar) * bar;
  while (line < -0.03) line += bar;
  found.barOneSeconds = std::abs(line) < 0.004 ? 0 : line;
  return found;
}

} // namespace ivrin
