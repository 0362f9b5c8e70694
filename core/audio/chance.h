// Numbers by chance that are the same for the same seed, on every machine.
#pragma once

#include "audio/dither.h"

#include <cstdint>

namespace ivrin {

class Chance {
 public:
  explicit Chance(std::uint64_t seed)
      : state_(seed) {}
  /// 0..1, never 1.
  double unit() { return static_cast<double>(mix64(state_++) >> 11) / 9007199254740992.0; }
  /// 0..n−1.
  int below(std::size_t n) { return static_cast<int>(unit() * static_cast<double>(n)); }
  template <class List> const auto& oneOf(const List& all) { return all[static_cast<std::size_t>(below(all.size()))]; }

 private:
  std::uint64_t state_;
};

} // namespace ivrin
