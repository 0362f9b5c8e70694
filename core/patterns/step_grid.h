// Steps over a span: what kinds that cut time into cells count in. Every step is taken from the tempo map anew, so that
// the thousandth is as exact as the first.
#pragma once

#include "song/value.h"
#include "time/tempo_map.h"

namespace ivrin {

class StepGrid {
 public:
  /// Steps from `start` on, each as long as `step` says (a note value; a bar is the meter's at `start`; or a number of
  /// milliseconds). Every second one comes later by `swing` of its pair, 0..0.45. `map` must outlive it.
  StepGrid(const TempoMap& map, Beats start, const Value& step, double swing = 0);
  /// What comes after the last run.
  enum class Then { last, cycle };
  /// Steps of several lengths: `runs` is a checked list of [note value, count]. Milliseconds among them are taken at
  /// the tempo of `start`.
  StepGrid(const TempoMap& map, Beats start, const List& runs, Then then);
  /// Where step `k` (0 is the first) begins.
  Frames begin(std::int64_t k) const;
  /// The same as a position in the song: exact, but for steps of milliseconds.
  Beats beat(std::int64_t k) const;
  /// The step that sounds at a frame; 0 before the first.
  std::int64_t at(Frames f) const;
  /// No step is longer, in frames, wherever it stands.
  std::int64_t longest() const;
  /// Steps until the lengths come round again, or until they stay.
  std::int64_t round() const { return static_cast<std::int64_t>(offsets_.size()) - 1; }

 private:
  double place(std::int64_t k) const;
  const TempoMap& map_;
  Beats start_;
  std::vector<double> offsets_; // of the first round, from 0, with its end: ticks, or seconds
  bool inSeconds_ = false;
  Then then_ = Then::cycle;
};

} // namespace ivrin
