// Turning a print down while a key sounds, with look-ahead. The gain is computed on a grid anchored at the print's
// first frame: the key's level against a reference, 15 ms ahead, falling within 15 ms and rising over 150 ms.
#pragma once

#include "ornaments/kind.h"

namespace ivrin {

class Ducking {
 public:
  static constexpr std::int64_t kGrid = 64;
  /// `key` is the index of the read to listen to; `referenceDb` the level (RMS, dBFS) that counts as "sounding":
  /// full depth from 18 dB under it, nothing 40 dB under it.
  Ducking(double depthDb, double referenceDb, double sampleRate, std::size_t key, Frames first);
  /// Multiplies the next frames, in order.
  void apply(Sounds& sounds, StereoSpan io);
  /// How far ahead of a print's end the key must be readable.
  static std::int64_t lookaheadFrames(double sampleRate);

 private:
  double nextGain(Sounds& sounds);
  double depth_, reference_;
  std::int64_t ahead_; // in grid steps
  double fall_, rise_; // dB per step
  std::size_t key_;
  Frames at_; // next grid point to measure
  std::vector<double> wanted_;
  double db_ = 0, before_ = 1, after_ = 1;
  std::int64_t inStep_ = 0;
  bool started_ = false;
  static constexpr std::int64_t kSteps = 16;
  std::int64_t inScratch_ = kSteps;
  StereoBuffer scratch_{kGrid * kSteps};
};

} // namespace ivrin
