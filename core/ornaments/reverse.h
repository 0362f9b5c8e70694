// Reverse: the source played backwards, in its own place or ending on a landing.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class Reverse : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  std::optional<Frames> landingFrame(const Placed& p) const override;
  bool leadsIn(const Ornament& o) const override;
  /// Sets where it ends; at the source's own end it is in place again.
  std::optional<Ornament> withLandingAt(const Placed& p, Beats at) const override;
};

} // namespace ivrin
