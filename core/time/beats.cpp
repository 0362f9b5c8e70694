#include "time/beats.h"

#include "time/plain_number.h"

#include <cmath>

namespace ivrin {

Beats Beats::ofQuarters(double quarters) {
  return Beats(std::llround(quarters * static_cast<double>(kTicksPerQuarter)));
}

std::string shortestBeats(Beats b) {
  std::string text;
  for (int digits = 1; digits <= 17; ++digits) {
    text = roundNumber(b.quarters(), digits);
    if (Beats::ofQuarters(readNumber(text).value) == b) break;
  }
  return text;
}

} // namespace ivrin
