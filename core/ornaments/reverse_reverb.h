// Reverse reverb: the source reversed, sent through a space and/or an echo, and reversed back, so that it swells into
// the landing point.
//
// The last sample of the swell is the first of the space's answer. On the row, before the landing:  the swell, at full
// level to the landing frame; after it:  a fade of 5 ms down to `wash_under` of what lies under the word, the word
// itself where `word_db` is set, and the same space going on from the word for `spill_beats`.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class ReverseReverb : public Kind {
 public:
  /// Lead-in, source and spill together.
  static constexpr double kLongestSeconds = 1800;
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  std::optional<Frames> landingFrame(const Placed& p) const override;
  bool leadsIn(const Ornament&) const override { return true; }
  std::optional<Ornament> withLeadBegin(const Placed& p, Beats at) const override;
  std::optional<Ornament> withLandingAt(const Placed& p, Beats at) const override;
  /// Sets `spill_beats`, where the space already goes on after the landing.
  std::optional<Ornament> withTailEnd(const Placed& p, Beats at) const override;
};

} // namespace ivrin
