// Turning a print down while a key sounds, with look-ahead. The gain is computed on a grid anchored at the print's
// first frame: the key's level against a reference, ahead by the time of its fall.
#pragma once

#include "audio/buffer.h"
#include "time/units.h"

#include <functional>
#include <vector>

namespace ivrin {

class Ducking {
 public:
  static constexpr std::int64_t kGrid = 64;
  static constexpr double kFallSeconds = 0.015, kRiseSeconds = 0.15;
  /// The key's sound from a song frame on; silence outside of it.
  using Key = std::function<void(Frames from, StereoSpan out)>;
  /// `referenceDb` the level (RMS, dBFS) that counts as "sounding":
  /// full depth from 18 dB under it, nothing 40 dB under it.
  Ducking(double depthDb, double referenceDb, double sampleRate, Frames first, Key key,
          double fallSeconds = kFallSeconds, double riseSeconds = kRiseSeconds);
  /// Multiplies the next frames, in order.
  void apply(StereoSpan io);
  /// How far ahead of a print's end the key must be readable.
  static std::int64_t lookaheadFrames(double sampleRate, double fallSeconds = kFallSeconds);

 private:
  double nextGain();
  double depth_, reference_;
  std::int64_t ahead_; // in grid steps
  double fall_, rise_; // dB per step
  Key key_;
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
