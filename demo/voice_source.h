// What the vocal folds give: the derivative of the flow through them after G. Fant, J. Liljencrants and Q. Lin, "A
// four-parameter model of glottal flow", STL-QPSR 26 (1985), with its four parameters led by one, Rd, after G. Fant,
// "The LF-model revisited", STL-QPSR 36 (1995). As tables of harmonics up to 17 kHz, so that nothing folds back.
#pragma once

#include <vector>

namespace lantern {

class VoiceSource {
 public:
  VoiceSource();
  /// `phase` 0..1 of the period, `rd` 0.5 (pressed) to 2.7 (breathy), `hertz` of the note. The sharpest moment is −1 or
  /// near it.
  double at(double phase, double rd, double hertz) const;
  /// How far the folds are open, 0..1: breath comes in puffs.
  static double open(double phase, double rd);

 private:
  static constexpr int kPoints = 4096, kShapes = 12, kRegisters = 10;
  static constexpr double kLeastRd = 0.5, kMostRd = 2.7, kLowest = 110;
  const float* table(int shape, int reg) const;
  std::vector<float> tables_;
};

} // namespace lantern
