// The bands of the processor "tone".
#pragma once

#include "song/value.h"

#include <vector>

namespace ivrin {

struct ToneBand {
  double hz = 1000, gainDb = 0, q = 1; // 20..20000, −24..24, 0.1..20
  friend bool operator==(const ToneBand&, const ToneBand&) = default;
};
/// From and to the setting "bands", whose form has been checked.
std::vector<ToneBand> toneBands(const Value& v);
Value toneValue(const std::vector<ToneBand>& bands);
/// What all of them do together at one frequency.
double toneGainDb(const std::vector<ToneBand>& bands, double hz, double sampleRate);
/// What a shelf does there: all under (or over) `edgeHz` lifted by `gainDb`, half of that at the edge.
double shelfGainDb(bool low, double edgeHz, double gainDb, double hz, double sampleRate);

} // namespace ivrin
