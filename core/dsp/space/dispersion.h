// Delay that differs with frequency and nothing else: allpasses of first order one after another, eight in a vector,
// each a frame behind the one before it.
#pragma once

#include "audio/buffer.h"

#include <vector>

namespace ivrin {

class Dispersion {
 public:
  /// Of each section (a + z⁻¹)/(1 + a·z⁻¹); a multiple of 16 of them.
  explicit Dispersion(const std::vector<float>& coefficients);
  /// A plate's bending waves: the higher, the faster, in proportion to the root of the frequency (S. Bilbao, K. Arcas,
  /// A. Chaigne, "A physical model for plate reverberation", ICASSP 2006), so that a knock arrives from the top down.
  static Dispersion ofPlate(double sampleRate);
  void process(StereoSpan io);
  void clear();
  /// Group delay at `hz`, in frames, what the vectors take included.
  double delayAt(double hz, double sampleRate) const;

 private:
  static constexpr std::size_t kAtOnce = 16;
  std::vector<float> a_, state_, waiting_;
};

} // namespace ivrin
