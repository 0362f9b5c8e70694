// Pan as rows have it: a balance. In the middle both sides pass untouched; towards one side the other is turned down.
#pragma once

#include <cmath>
#include <numbers>

namespace ivrin {

struct SideGains {
  double left, right;
};

/// `pan` −1 (left) to 1.
inline SideGains balance(double pan) {
  const double away = std::cos(std::abs(pan) * (std::numbers::pi / 2));
  return {pan > 0 ? away : 1, pan < 0 ? away : 1};
}

} // namespace ivrin
