// A rich tone without aliasing: one turn of a sawtooth and of one whose harmonics have other phases, for every half
// octave with as many harmonics as fit below the highest frequency.
//
// The second one is there to be detuned against the first: on the right its phases are those of the left turned round
// (−θ − π), so that what the two sides have in power together does not beat.
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

namespace ivrin {

class WaveTable {
 public:
  enum class Shape { saw, left, right };
  /// Made once, kept.
  static const WaveTable& of(Shape shape);
  /// What is read at a frequency: two neighbouring tables and how far from the first to the second. Neither holds a
  /// harmonic over `highestHz`, but for the fundamental.
  struct Level {
    const std::vector<float>*fuller, *barer;
    double toBarer;
  };
  Level level(double hz, double highestHz) const;
  /// `phase` in turns, ≥ 0. Cubic interpolation between eight samples a harmonic and more.
  static float at(const std::vector<float>& table, double phase) {
    const auto n = static_cast<std::int64_t>(table.size()) - 3; // one before, two after
    const double x = (phase - static_cast<double>(static_cast<std::int64_t>(phase))) * static_cast<double>(n);
    const auto i = static_cast<std::int64_t>(x);
    const float u = static_cast<float>(x - static_cast<double>(i));
    const float* p = table.data() + i;
    const float c0 = p[1], c1 = 0.5f * (p[2] - p[0]), c2 = p[0] - 2.5f * p[1] + 2 * p[2] - 0.5f * p[3],
                c3 = 0.5f * (p[3] - p[0]) + 1.5f * (p[1] - p[2]);
    return ((c3 * u + c2) * u + c1) * u + c0;
  }
  float at(const Level& l, double phase) const {
    const float a = at(*l.fuller, phase), b = at(*l.barer, phase);
    return a + static_cast<float>(l.toBarer) * (b - a);
  }

 private:
  explicit WaveTable(Shape shape);
  std::vector<std::vector<float>> levels_; // from the fullest down to the fundamental alone
  std::vector<int> harmonics_;
};

} // namespace ivrin
