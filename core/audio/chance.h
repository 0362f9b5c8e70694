// Numbers by chance that are the same for the same seed, on every machine.
#pragma once

#include "audio/dither.h"

#include <cstdint>

namespace ivrin {

/// 0..1, never 1: the same for the same number, so that a draw can be had at any place.
inline double unitAt(std::uint64_t n) {
  return static_cast<double>(mix64(n) >> 11) / 9007199254740992.0;
}
/// −1..1 likewise.
inline double signedUnitAt(std::uint64_t n) {
  return static_cast<double>(mix64(n) >> 11) / 4503599627370496.0 - 1;
}

class Chance {
 public:
  explicit Chance(std::uint64_t seed)
      : state_(seed) {}
  /// 0..1, never 1.
  double unit() { return unitAt(state_++); }
  /// 0..n−1.
  int below(std::size_t n) { return static_cast<int>(unit() * static_cast<double>(n)); }
  template <class List> const auto& oneOf(const List& all) { return all[static_cast<std::size_t>(below(all.size()))]; }

 private:
  std::uint64_t state_;
};

} // namespace ivrin
