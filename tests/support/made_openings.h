// Rows of which it is known where they rest, which notes are held and which hits stand alone.
#pragma once

#include "test_support/band.h"

#include <string>
#include <vector>

namespace ivrin::test {

struct MadeOpenings {
  std::string name;
  double rate = 48000, bpm = 100;
  using Span = std::pair<double, double>; // seconds
  std::vector<Span> gaps, held;
  std::vector<Span> ringing; // plucked and left to ring: held or not, as one likes
  std::vector<double> hits;
  StereoBuffer sound;
};

int madeOpeningsCount();
/// Made from its number, and which time it is played, alone.
MadeOpenings madeOpenings(int which, int take = 0);

} // namespace ivrin::test
