// Rows of which it is known where something is played and where the player rests: dry ones, ones with a floor of noise
// or with the neighbours in the microphone, ones in rooms and halls, and ones that never rest.
#pragma once

#include "test_support/band.h"
#include "time/units.h"

#include <string>

namespace ivrin::test {

struct MadeRow {
  enum class Class { dry, noisy, roomy, running };
  std::string name;
  Class type = Class::dry;
  double bpm = 100, rate = 48000;
  std::vector<std::pair<double, double>> played; // seconds; apart by 0.9 beats at least
  StereoBuffer sound;
  double beatSeconds() const { return 60 / bpm; }
};

/// How many there are; each is made from its number, and which time it is played, alone.
int madeRowCount();
std::string madeRowName(int which);
MadeRow madeRow(int which, int take = 0);

} // namespace ivrin::test
