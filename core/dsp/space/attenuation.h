// What the lines of a delay network lose, each in proportion to its length, so that every frequency dies in the time a
// curve asks for. One gain and three shelves of first order a line, fitted together: a graphic attenuation filter
// (K. Prawda, S. J. Schlecht, V. Välimäki, "Improved reverberation time control for feedback delay networks", DAFx
// 2019) whose bands are shelves, because our curves are smooth: a third of the work of ten bands, and no ripple between
// them.
#pragma once

#include "dsp/space/decay_curve.h"

#include <array>
#include <cstdint>
#include <vector>

namespace ivrin {

class Attenuation {
 public:
  static constexpr int kLanes = 8;
  /// `frames`: what each line delays in one round; a multiple of 8 of them. `own`: what else in it keeps of an
  /// amplitude in a round, 0..1, which its filters then need not lose.
  Attenuation(const DecayCurve& curve, const std::vector<double>& frames, const std::vector<double>& own, double rate);
  Attenuation() = default;
  /// No filters: gains alone (of a space that is held: 1).
  static Attenuation gains(const std::vector<double>& each);
  /// Lines `first` to `first` + 7: in[k] to rows + k·stride.
  void run(int first, float* rows, std::int64_t stride, const float* const in[kLanes], std::int64_t n);
  void clear();

 private:
  static constexpr int kShelves = 3;
  bool flat_ = true;
  /// Eight lanes side by side: b0, b1, a1 of the shelves, the gain in the first one's.
  struct Group {
    std::array<std::array<float, kLanes>, kShelves> b0{}, b1{}, a1{}, state{};
  };
  std::vector<Group> groups_;
};

} // namespace ivrin
