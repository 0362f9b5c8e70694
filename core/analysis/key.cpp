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

} // namespace

std::optional<FoundKey> findKey(const std::vector<RowChroma>& rows) {
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
  FoundKey found{best, 0};
  found.confidence = std::clamp((guesses[0].r - next->r) / kClearLead, 0.0, 1.0) * std::clamp(guesses[0].r, 0.0, 1.0);
  return found;
}

} // namespace ivrin
