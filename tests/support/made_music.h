// Pieces of music of which tempo, bar lines and key are known, and sounds that have none: what finding is measured on.
#pragma once

#include "test_support/band.h"
#include "time/units.h"

#include <optional>
#include <string>
#include <vector>

namespace ivrin::test {

struct MadePiece {
  std::string name;
  double rate = 48000;
  /// How many beats a minute are felt; 0: there are none, or they wander.
  double bpm = 0;
  int beatsInBar = 4;
  double barOneSeconds = 0;
  std::optional<int> tonic; // 0 = C; none: it has no key
  bool minor = false;
  std::vector<double> beats; // seconds, ascending; none where there are none
  bool wanders = false;      // they were not played to a click, but can be followed
  std::vector<StereoBuffer> stems;
};

int madePieceCount();
std::string madePieceName(int which);
/// Made from its number, and which time it is played, alone: other takes are a little faster, in other keys, played
/// anew.
MadePiece madePiece(int which, int take = 0);

} // namespace ivrin::test
