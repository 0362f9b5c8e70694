// Pulse: the row opens and closes in steps, each with its level, its place between the sides and its two shoulders.
#pragma once

#include "dsp/dynamics/balance.h"
#include "ornaments/kind.h"
#include "patterns/pattern.h"
#include "patterns/step_grid.h"

namespace ivrin {

/// What a pulse's settings say, ready to be asked frame by frame and to be drawn.
struct PulseShape {
  explicit PulseShape(const Placed& p);
  StepGrid grid;
  std::vector<double> levels, pans; // gone round
  double open;                      // part of a step that sounds
  double depth;
  double levelOf(std::int64_t step) const { return goneRound(levels, step); }
  double panOf(std::int64_t step) const { return goneRound(pans, step); }
  /// Of an open step: its level on each side.
  SideGains gainsOf(std::int64_t step) const;

  /// One step in frames from its begin: how long it sounds, and its fades within that.
  struct Step {
    Frames begin;
    std::int64_t length, open, fadeIn, fadeOut;
    double bendIn, bendOut;
  };
  Step step(std::int64_t k) const;
  /// Its lists as one pattern.
  Pattern pattern() const;
  /// The window of a step, 0..1, `at` frames from its begin.
  double windowAt(const Step& s, std::int64_t at) const;

 private:
  /// Part of the step, or frames; the other one is 0.
  struct Fade {
    double share = 0, frames = 0;
  };
  /// What one step has of its own goes before what all have; the list goes round.
  using Own = std::vector<std::optional<double>>;
  Fade in_, out_;
  double bendIn_, bendOut_;
  Own ins_, outs_, inBends_, outBends_; // percent, and bends
};

class Pulse : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  bool cuts() const override { return true; }
  std::unique_ptr<Cells> cells(const Placed& p) const override;
  bool levelIsTheEffect() const override { return true; }
};

} // namespace ivrin
