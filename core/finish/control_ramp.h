// Curves over beats where they meet samples.
#pragma once

#include "song/curve.h"
#include "time/tempo_map.h"

#include <utility>

namespace ivrin {

/// A curve over beats as one value per frame: computed every kControl frames and joined by straight lines.
class ControlRamp {
 public:
  static constexpr std::int64_t kControl = 64; // frames between values of a curve
  /// `start`: where the curve's x is 0; `first`: the frame that offsets are counted from.
  ControlRamp(const Curve& curve, const TempoMap& map, Beats start, Frames first)
      : curve_(curve)
      , map_(map)
      , start_(start.quarters())
      , first_(first)
      , constant_(curve.isConstant())
      , value_(static_cast<float>(curve.at(0))) {}
  bool constant() const { return constant_; }
  /// Value at `offset` frames after the print's first frame; offsets may come in any order.
  float at(std::int64_t offset) {
    if (constant_) return value_;
    enter(offset / kControl);
    const double u = static_cast<double>(offset - cell_ * kControl) / kControl;
    return static_cast<float>(a_ + (b_ - a_) * u);
  }
  /// The values that the straight line through `offset` goes from and to.
  std::pair<float, float> lineAt(std::int64_t offset) {
    if (constant_) return {value_, value_};
    enter(offset / kControl);
    return {static_cast<float>(a_), static_cast<float>(b_)};
  }

 private:
  void enter(std::int64_t cell) {
    if (cell == cell_) return;
    cell_ = cell;
    a_ = value(cell * kControl);
    b_ = value((cell + 1) * kControl);
  }
  double value(std::int64_t offset) const { return curve_.at(map_.quartersAt(first_ + Frames(offset)) - start_); }
  Curve curve_;
  TempoMap map_;
  double start_;
  Frames first_;
  bool constant_;
  float value_;
  std::int64_t cell_ = -1;
  double a_ = 0, b_ = 0;
};

} // namespace ivrin
