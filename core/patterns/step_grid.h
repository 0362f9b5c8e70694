// Steps of equal length over a span: what kinds that cut time into cells count in. Every step is taken from the tempo
// map anew, so that the thousandth is as exact as the first.
#pragma once

#include "song/value.h"
#include "time/tempo_map.h"

namespace ivrin {

class StepGrid {
 public:
  /// Steps from `start` on, each as long as `step` says (a note value; a bar is the meter's at `start`; or a number of
  /// milliseconds). Every second one comes later by `swing` of its pair, 0..0.45. `map` must outlive it.
  StepGrid(const TempoMap& map, Beats start, const Value& step, double swing = 0);
  /// Where step `k` (0 is the first) begins.
  Frames begin(std::int64_t k) const;
  /// The step that sounds at a frame; 0 before the first.
  std::int64_t at(Frames f) const;

 private:
  const TempoMap& map_;
  Beats start_;
  double ticks_ = 0, seconds_ = 0; // of a step: one of them
  double swing_;
};

} // namespace ivrin
