// Gap: the row falls silent, or is turned down, for the ornament's span. Tails of other ornaments may go on.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class Gap : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  /// The row is back at full level there.
  std::optional<Frames> landingFrame(const Placed& p) const override { return p.span().end; }
  bool leadsIn(const Ornament&) const override { return true; }
  bool levelIsTheEffect() const override { return true; }
  /// Longer or shorter from its begin on.
  std::optional<Ornament> withLandingAt(const Placed& p, Beats at) const override;
};

} // namespace ivrin
