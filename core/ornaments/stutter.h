// Stutter: a stretch is cut into cells, and each plays a slice of what stood there: the first one again and again, or
// any other, backwards, higher, to one side, or not at all.
#pragma once

#include "dsp/dynamics/balance.h"
#include "ornaments/kind.h"
#include "patterns/pattern.h"
#include "patterns/step_grid.h"

namespace ivrin {

inline constexpr double kMostCellDb = 12; // of a cell, whatever steps add up to

/// What a stutter's settings say of its cells, ready to be asked cell by cell and to be drawn.
struct StutterShape {
  explicit StutterShape(const Placed& p);

  struct Cell {
    Frames begin;
    std::int64_t length; // to the next cell, or to the end of all
    std::int64_t open;   // of it that sounds
    std::int64_t slice;  // frames from the source's begin to the slice, before the attack is looked for
    double speed;        // over 0, times normal
    bool reversed;
    SideGains gains; // both 0: silent
    bool silent() const { return gains.left == 0 && gains.right == 0; }
    /// Frames into the slice that are heard `at` frames after the cell's begin; before it too.
    double positionAt(std::int64_t at) const {
      return reversed ? static_cast<double>(open - 1 - at) * speed : static_cast<double>(at) * speed;
    }
  };
  Cell cell(std::int64_t k) const;
  /// Frames before a border in which cell `k` hands over to the next one.
  std::int64_t fadeAfter(std::int64_t k) const;
  /// The next cell goes on where `cell` ends, and nothing needs to be faded.
  bool goesOn(const Cell& cell, const Cell& next) const;
  /// Its lists as one pattern; what steps from cell to cell is not in it.
  Pattern pattern() const;

  /// Highest speed of a cell, at least 1, and where the last slice that is played begins, frames from the first.
  double fastest() const;
  std::int64_t lastSlice() const;

  StepGrid grid;
  FrameRange frames;  // from its first cell's begin to its end
  std::int64_t cells; // that sound
  std::int64_t fade;  // frames, where a cell is long enough

 private:
  std::vector<std::optional<double>> gains_; // dB; nothing: silent
  std::vector<double> pitches_, pans_;
  std::vector<char> reversed_;
  std::vector<std::int64_t> order_; // from 0
  double gate_, gainStep_, pitchStep_;
  std::int64_t reverseEvery_;
};

class Stutter : public Kind {
 public:
  const TableSpec& table() const override;
  PrintPlan plan(const Placed& p) const override;
  std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const override;
  bool cuts() const override { return true; }
  std::unique_ptr<Cells> cells(const Placed& p) const override;
  std::optional<Frames> takenFrom(const Placed& p, Sounds& sounds) const override;
};

} // namespace ivrin
