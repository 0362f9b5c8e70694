// Whole songs, short of beauty, of which it is known where their parts begin.
#pragma once

#include "test_support/band.h"

#include <string>
#include <vector>

namespace ivrin::test {

struct MadeForm {
  std::string name;
  double rate = 24000, bpm = 120;
  int beatsInBar = 4;
  std::vector<int> starts;   // bars, 0 the first, at which a part begins; none: nothing changes
  std::vector<char> letters; // the same letter: the same part, perhaps played otherwise
  std::vector<StereoBuffer> stems;
};

int madeFormCount();
/// Made from its number and which time it is played, alone: other takes are a little faster, in other keys, played
/// anew.
MadeForm madeForm(int which, int take = 0);

} // namespace ivrin::test
