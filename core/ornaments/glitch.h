// Glitch: by chance a step freezes what was just heard into a loop, with its own pitch, a band that sweeps and a crush.
//
// Steps are counted from the bar in which the ornament begins. What is drawn for a step depends on the seed and on its
// number there alone: moved by bars, or begun later in its bar, an ornament draws the same.
#pragma once

#include "audio/chance.h"
#include "ornaments/kind.h"
#include "patterns/step_grid.h"

namespace ivrin {

/// What a step that freezes was given by chance.
struct FrozenStep {
  double loopSeconds = 0;
  double semitones = 0;
};

/// What a glitch's settings say of its steps, ready to be asked step by step and to be drawn.
class GlitchShape {
 public:
  explicit GlitchShape(const Placed& p);
  /// The steps that sound: first ≤ k < end.
  std::int64_t first() const { return first_; }
  std::int64_t end() const { return end_; }
  /// Of a step, within the span.
  FrameRange frames(std::int64_t k) const;
  std::optional<FrozenStep> drawn(std::int64_t k) const;
  /// Whether the steps from first() on freeze: drawn(k).has_value() of each, at the cost of a number each. Those after
  /// so many changes are not looked at.
  std::vector<bool> freezing(std::size_t mostChanges = SIZE_MAX) const;
  bool kept() const { return !kept_.empty(); }
  const StepGrid& grid() const { return grid_; }
  /// Index of a step into a list of `round` chances.
  std::size_t place(std::int64_t k, std::size_t round) const;
  /// A glitch of more steps is refused.
  static constexpr std::int64_t kMost = 65536;
  /// Chances, or what was kept, as a pattern.
  Pattern pattern() const;
  double usualLoop() const;                       // seconds: in the middle of what chance draws
  double longestLoop() const { return longest_; } // seconds

 private:
  /// The list of chances begins again at the step that the bar or the next one begins with; `round` counts from 0.
  std::int64_t roundBegins(std::int64_t round) const;
  Chance chanceOf(std::int64_t k) const;

  const TempoMap& map_;
  StepGrid grid_;
  FrameRange span_;
  std::int64_t first_ = 0, end_ = 0, firstBar_ = 1;
  std::int64_t bars_;
  std::vector<double> chances_;
  double shortest_, longest_, spread_;
  std::uint64_t seed_;
  std::vector<std::optional<double>> kept_; // seconds of each loop
  std::vector<double> keptSemitones_;
};

class Glitch : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  bool cuts() const override { return true; }
  std::unique_ptr<Cells> cells(const Placed& p) const override;
};

} // namespace ivrin
