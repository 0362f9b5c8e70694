// Delay throw: the source goes into a tempo-synced feedback delay.
//
// Per side:  sent + feedback·leaving → delay line → low cut → high cut → drive → pitch step → limiter → leaving
// With filters, drive, wobble and pitch step off, echo k of an isolated sound is at start + k·time ± 1 frame and at
// feedback^(k−1). The limiter's look-ahead and the pitch step's delay are taken out of the line.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class DelayThrow : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  std::optional<LoopFigures> loopFigures(const Placed& p) const override;
  /// Cuts the tail there (`cut_at`); beyond where it dies by itself it is whole again.
  std::optional<Ornament> withTailEnd(const Placed& p, Beats at) const override;
};

} // namespace ivrin
