// Reverb throw: the source goes into a space whose tail rings on after it.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class ReverbThrow : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  /// Cuts the tail there (`cut_at`); beyond where it dies by itself it is whole again.
  std::optional<Ornament> withTailEnd(const Placed& p, Beats at) const override;
};

} // namespace ivrin
