#include "time/beats.h"

#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace ivrin {

Beats Beats::ofQuarters(double quarters) {
  return Beats(std::llround(quarters * static_cast<double>(kTicksPerQuarter)));
}

std::string shortestBeats(Beats b) {
  char text[40];
  for (int digits = 1; digits <= 17; ++digits) {
    std::snprintf(text, sizeof text, "%.*g", digits, b.quarters());
    if (Beats::ofQuarters(std::strtod(text, nullptr)) == b) break;
  }
  return text;
}

} // namespace ivrin
