// Six impulse responses of our own, computed: they can be had at any sample rate and need no files. Each is four paths,
// from either side to either, that have nothing in common: noise of seeds of their own which dies at every frequency in
// the time its space has there, its colour brought to what is meant by thirds of an octave, with what its walls answer
// first.
#pragma once

#include "dsp/space/convolver.h"

#include <array>
#include <string>
#include <vector>

namespace ivrin {

struct ShippedImpulse {
  const char* name; // as in a song file: "shipped:stairwell"
  const char* meaning;
  std::array<double, 9> decaySeconds; // T60 at the octaves from 63 Hz to 16 kHz
  std::array<double, 9> colourDb;     // density of its energy there, against 1 kHz or so
  double riseSeconds = 0;             // how slowly it comes up
  double gapSeconds = 0;              // before anything but the direct sound
  double grainsPerSecond = 0;         // 0: dense
  int modes = 0;                      // tones of its own
  int knocks = 0;                     // walls that answer one by one
  double knockSeconds = 0;            // between them
  std::uint64_t seed = 1;

  double decayAt(double hz) const;
  double colourDbAt(double hz) const;
};
const std::vector<ShippedImpulse>& shippedImpulses();
/// Energy 1 with both sides driven alike (mean of both sides), its first sound on its first frame. Empty when there is
/// none of that name.
ImpulseResponse shippedImpulse(const std::string& name, double sampleRate);
/// Its frames, without computing it.
std::int64_t shippedImpulseFrames(const std::string& name, double sampleRate);

} // namespace ivrin
