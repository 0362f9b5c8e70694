#include "analysis/key.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ivrin {
namespace {

constexpr std::array<double, 12> kMajorProfile = {6.35, 2.23, 3.48, 2.33, 4.38, 4.09,
                                                  2.52, 5.19, 2.39, 3.66, 2.29, 2.88};
constexpr std::array<double, 12> kMinorProfile = {6.33, 2.68, 3.52, 5.38, 2.60, 3.53,
                                                  2.54, 4.75, 3.98, 2.69, 3.34, 3.17};
constexpr double kClearLead = 0.12; // in correlation: no doubt
constexpr double kLeastNotes = 5;   // steps' worth of notes
constexpr double kChordSeconds = 1.5, kSounding = 0.1;
constexpr double kRestCounts = 2.5; // the last chord of what comes to rest
constexpr double kLastCounts = 0.5; // what was given to us may end anywhere
constexpr double kGroupsCount = 2;  // where groups of four bars begin: harmony goes in circles that start on it
constexpr double kEndsCount = 1;    // against the correlation: a song starts and ends on its tonic more often than not

double correlation(const std::array<double, 12>& a, const std::array<double, 12>& profile, int tonic) {
  const double ma = std::accumulate(a.begin(), a.end(), 0.0) / 12,
               mp = std::accumulate(profile.begin(), profile.end(), 0.0) / 12;
  double ap = 0, aa = 1e-12, pp = 1e-12;
  for (std::size_t i = 0; i < 12; ++i) {
    const double x = a[(i + static_cast<std::size_t>(tonic)) % 12] - ma, y = profile[i] - mp;
    ap += x * y;
    aa += x * x;
    pp += y * y;
  }
  return ap / std::sqrt(aa * pp);
}

/// How much of a chord's notes are of the triad on a key's tonic.
double triad(const std::array<double, 12>& chord, const Key& key) {
  double all = 1e-9, own = 0;
  for (const double v : chord) all += v;
  for (const int step : {0, 0, key.minor ? 3 : 4, 7}) // the root twice: a triad and its relative's share two notes
    own += chord[static_cast<std::size_t>((key.note + step) % 12)];
  return own / all;
}

/// Notes of the first second and a half in which any are heard, or of the last. All rows start together.
std::array<double, 12> chordAtEnd(const std::vector<RowChroma>& rows, bool last) {
  std::array<double, 12> chord{};
  std::size_t steps = 0;
  double hop = 0.1;
  for (const RowChroma& r : rows) {
    steps = std::max(steps, r.steps.size());
    if (r.stepSeconds > 0) hop = r.stepSeconds;
  }
  const auto wanted = static_cast<int>(kChordSeconds / hop);
  int taken = 0;
  for (std::size_t n = 0; n < steps && taken < wanted; ++n) {
    const std::size_t i = last ? steps - 1 - n : n;
    double sum = 0;
    for (const RowChroma& r : rows)
      if (i < r.steps.size())
        for (std::size_t k = 0; k < chord.size(); ++k) {
          chord[k] += static_cast<double>(r.steps[i][k]);
          sum += static_cast<double>(r.steps[i][k]);
        }
    taken += sum > kSounding;
  }
  return chord;
}

/// Notes of a second and a half from there on.
std::array<double, 12> chordAfter(const std::vector<RowChroma>& rows, double seconds) {
  std::array<double, 12> chord{};
  for (const RowChroma& r : rows) {
    if (r.stepSeconds <= 0) continue;
    const auto from = static_cast<std::size_t>(std::max(0.0, std::ceil(seconds / r.stepSeconds))),
               to = from + static_cast<std::size_t>(kChordSeconds / r.stepSeconds);
    for (std::size_t i = from; i < std::min(to, r.steps.size()); ++i)
      for (std::size_t k = 0; k < chord.size(); ++k) chord[k] += static_cast<double>(r.steps[i][k]);
  }
  return chord;
}

} // namespace

std::optional<FoundKey> findKey(const std::vector<RowChroma>& rows, const std::vector<double>& starts,
                                bool comesToRest) {
  std::array<double, 12> notes{};
  double all = 0;
  for (const RowChroma& r : rows)
    for (const Chroma& step : r.steps)
      for (std::size_t i = 0; i < 12; ++i) {
        notes[i] += static_cast<double>(step[i]);
        all += static_cast<double>(step[i]);
      }
  if (all < kLeastNotes) return std::nullopt;
  struct Guess {
    Key key;
    double r;
  };
  std::vector<Guess> guesses;
  for (int tonic = 0; tonic < 12; ++tonic) {
    guesses.push_back({{tonic, false}, correlation(notes, kMajorProfile, tonic)});
    guesses.push_back({{tonic, true}, correlation(notes, kMinorProfile, tonic)});
  }
  std::stable_sort(guesses.begin(), guesses.end(), [](const Guess& a, const Guess& b) { return a.r > b.r; });
  // Its relative has the same notes: who is second is asked of the others.
  const Key best = guesses[0].key;
  const Key relative = best.relative();
  const auto next =
      std::find_if(guesses.begin() + 1, guesses.end(), [&](const Guess& g) { return !(g.key == relative); });
  const auto own = std::find_if(guesses.begin(), guesses.end(), [&](const Guess& g) { return g.key == relative; });
  const auto first = chordAtEnd(rows, false), last = chordAtEnd(rows, true);
  const double ends = triad(first, best) - triad(first, relative) +
                      (comesToRest ? kRestCounts : kLastCounts) * (triad(last, best) - triad(last, relative));
  double groups = 0;
  for (const double at : starts) {
    const auto chord = chordAfter(rows, at);
    groups += (triad(chord, best) - triad(chord, relative)) / static_cast<double>(starts.size());
  }
  FoundKey found{guesses[0].r - own->r + kEndsCount * ends + kGroupsCount * groups >= 0 ? best : relative, 0};
  found.confidence = std::clamp((guesses[0].r - next->r) / kClearLead, 0.0, 1.0) * std::clamp(guesses[0].r, 0.0, 1.0);
  return found;
}

} // namespace ivrin
