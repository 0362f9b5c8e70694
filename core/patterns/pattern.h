// A pattern of steps, whatever kind plays it, and what a hand does to one: turned, mirrored, thinned, filled, spread.
// All of it is pure; a pattern goes round.
#pragma once

#include "patterns/accents.h"

#include <optional>
#include <string>
#include <vector>

namespace ivrin {

struct PatternStep {
  double level = 1;     // 0 is silent; where chance plays it: how likely, 1 always
  double side = 0;      // −1 left .. 1 right
  double semitones = 0; // pitch, by speed
  bool reversed = false;
  /// Of its own: how it comes in and goes out, percent of the step, and how these bend, −1..1. None: as all have it.
  std::optional<double> in{}, out{}, inBend{}, outBend{};
  bool sounds() const { return level > 0; }
  friend bool operator==(const PatternStep&, const PatternStep&) = default;
};
using Pattern = std::vector<PatternStep>;

/// Steps of a pattern that a hand makes or a file holds.
inline constexpr std::size_t kMostSteps = 1024;

/// Entry k of a list that goes round.
template <class T> const T& goneRound(const std::vector<T>& list, std::int64_t k) {
  return list[static_cast<std::size_t>(k) % list.size()];
}

/// The same steps until there are `steps` of them; one that is long enough stays.
Pattern atLeast(Pattern p, std::size_t steps);
/// Later by so many steps (earlier: negative).
Pattern turned(Pattern p, int steps);
/// The other way round in time; the first step stays first.
Pattern mirrored(Pattern p);
/// Every second step that sounds falls silent, the first one stays; nothing left to take away: as it was.
Pattern thinned(Pattern p);
/// Silent steps sound, at `level` of what sounded last before them.
Pattern filled(Pattern p, double level = 0.6);
/// `sounding` steps spread over all of them as evenly as may be (E. Bjorklund, "The theory of Rep-Rate pattern
/// generation in the SNS timing system", 2003; G. Toussaint, "The Euclidean algorithm generates traditional musical
/// rhythms", 2005), beginning with one that sounds. Those that sound have level 1 or what they had.
Pattern spread(Pattern p, int sounding);
/// Every n-th step is silent, counted from the first: of three the third.
Pattern silentEvery(Pattern p, int n);
/// Sides in turn, left first, among the steps that sound.
Pattern sidesInTurn(Pattern p, double width = 0.7);
/// Levels by the weight of each step in its bar; silent steps stay silent. `at` says where step k lies.
Pattern accented(Pattern p, const TempoMap& map, const std::vector<Beats>& at);

/// How many steps sound.
int sounding(const Pattern& p);

} // namespace ivrin
