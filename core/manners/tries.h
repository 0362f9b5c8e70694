// Four tries: musical variations of an ornament's settings, to listen through and keep one or none.
#pragma once

#include "ornaments/kind.h"

#include <array>
#include <set>
#include <string>

namespace ivrin {

inline constexpr int kTries = 4;

/// Four variations that differ from the ornament and from each other, the same for the same ornament and `round`. What
/// is varied is bounded: two to four settings of its kind that it is sensible to vary, note values by at most two
/// places and to plain, dotted and triplet neighbours, numbers by at most a quarter of their range or a third of
/// themselves, inside their limits. Where it stands, how loud it is, what it lands on and whether the dry row stays are
/// left alone, and so are the settings `byHand`, as far as there are others. Kinds that cut time into cells get another
/// pattern each (a tool's or one that ships), in which what was silent stays silent, and now and then one number
/// besides.
std::array<Ornament, kTries> fourTries(const Kind& kind, const Ornament& o, const TempoMap& map, int round,
                                       const std::set<std::string>& byHand = {});

} // namespace ivrin
