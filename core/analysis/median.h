// The middle of some numbers.
#pragma once

#include <algorithm>
#include <vector>

namespace ivrin {

/// Of an even number the upper one of the two in the middle; 0 of none.
inline double median(std::vector<double> values) {
  if (values.empty()) return 0;
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

} // namespace ivrin
