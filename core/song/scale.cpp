#include "song/scale.h"

#include <array>
#include <cmath>

namespace ivrin {
namespace {

using Scale = std::array<int, 7>;
constexpr Scale kMajor{0, 2, 4, 5, 7, 9, 11}, kMinor{0, 2, 3, 5, 7, 8, 10};

} // namespace

double nearestInKey(double note, const Key& key) {
  double best = note, least = 1e9;
  for (int octave = -1; octave <= 11; ++octave)
    for (const int step : key.minor ? kMinor : kMajor) {
      const double one = 12 * octave + key.note + step;
      if (std::abs(one - note) < least) {
        least = std::abs(one - note);
        best = one;
      }
    }
  return best;
}

int semitonesForSteps(int steps, int note, const std::optional<Key>& key) {
  const Scale& scale = key && key->minor ? kMinor : kMajor;
  const int above = key ? ((note - key->note) % 12 + 12) % 12 : 0;
  int degree = 6;
  while (scale[static_cast<std::size_t>(degree)] > above) --degree;
  const int to = degree + steps, octave = to >= 0 ? to / 7 : -((6 - to) / 7);
  return scale[static_cast<std::size_t>(to - 7 * octave)] + 12 * octave - scale[static_cast<std::size_t>(degree)];
}

} // namespace ivrin
