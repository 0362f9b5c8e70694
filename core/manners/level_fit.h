// How loud a first press makes what it adds: first by its source, then by what it must be heard in.
#pragma once

#include "manners/fitting.h"

namespace ivrin {

struct LevelWish {
  double underLu = 8;    // K-weighted, under the source as its low cut leaves it
  double mostMoreLu = 0; // and up to so much lower where its peak would be over the source's
  bool leadsIn = false;  // it is compared before its landing, and stays under what it leads to
  double lowCutHz = 200; // of the kind's low cut; lower for what has little over it
};

/// Chooses the low cut by what is there, measures the print, and puts a level at the end of the finish: as far under
/// the source as is wished; more where it would not be heard in the mix; never over the source by more than 2 LU, never
/// raising the mix's loudness by more than 2 LU or its peak by more than 1 dB, and with 10 dB less under 200 Hz than
/// the source has, or the mix there. Where it would meet the next phrase (heard.next) it is ended there, if the kind
/// can be.
void fitLevel(Ornament& o, const PressedAt& at, const LevelWish& wish, Heard& heard);

} // namespace ivrin
