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
    int fullerBits, barerBits; // of their lengths
    double toBarer;
  };
  Level level(double hz, double highestHz) const;
  /// A turn is 2³² of `phase`. Cubic interpolation between sixteen samples a harmonic (eight where there are more than
  /// 512).
  static float at(const float* table, int bits, std::uint32_t phase) {
    const float* p = table + (phase >> (32 - bits));
    const float u = static_cast<float>(static_cast<std::int32_t>((phase << bits) >> 1)) * 0x1p-31f; // signed is faster
    const float c1 = 0.5f * (p[2] - p[0]), c2 = p[0] - 2.5f * p[1] + 2 * p[2] - 0.5f * p[3],
                c3 = 0.5f * (p[3] - p[0]) + 1.5f * (p[1] - p[2]);
    return ((c3 * u + c2) * u + c1) * u + p[1];
  }
  /// Adds `gain` times `frames` samples from `phase` on; `step` is a turn's part for each sample, which itself grows by
  /// `slope` with each.
  static void add(const Level& l, std::uint32_t phase, std::uint32_t step, std::uint32_t slope, float gain, float* out,
                  std::int64_t frames) {
    const auto run = [&](auto sample) {
      for (std::int64_t i = 0; i < frames; ++i) {
        out[i] += gain * sample();
        phase += step;
        step += slope;
      }
    };
    const float* full = l.fuller->data();
    const float* bare = l.barer->data();
    const int fullBits = l.fullerBits, bareBits = l.barerBits;
    const auto barer = static_cast<float>(l.toBarer);
    if (barer > 0)
      run([&] {
        const float y = at(full, fullBits, phase);
        return y + barer * (at(bare, bareBits, phase) - y);
      });
    else
      run([&] { return at(full, fullBits, phase); });
  }

 private:
  explicit WaveTable(Shape shape);
  std::vector<std::vector<float>> levels_; // from the fullest down to the fundamental alone
  std::vector<int> harmonics_, bits_;
};

} // namespace ivrin
