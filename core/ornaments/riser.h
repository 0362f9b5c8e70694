// Riser: something climbs to a landing, or falls from one: noise, a tone, or the row itself, in pitch, brightness and
// level, with an impact on the landing where one is wanted.
#pragma once

#include "ornaments/riser_shape.h"

namespace ivrin {

class Riser : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  std::optional<Frames> landingFrame(const Placed& p) const override;
  bool leadsIn(const Ornament& o) const override;
  bool levelIsTheEffect() const override { return true; }
  std::optional<Ornament> withLandingAt(const Placed& p, Beats at) const override;
  std::optional<Ornament> withLeadBegin(const Placed& p, Beats at) const override;
};

} // namespace ivrin
