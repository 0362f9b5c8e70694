// First presses measured: what one does to the mix it lands in, by means that know nothing of how it was fitted.
#pragma once

#include "manners/manners.h"
#include "test_support/made_songs.h"

namespace ivrin::test {

struct PressFigures {
  std::string song;
  MadePlace place;
  bool refused = false; // nothing was placed, with a reason
  // Of what adds a print to the row that goes on (throws, swells, treatments, risers); nothing for the others.
  std::optional<double> overSourceLu; // loudest window as long as the source, K-weighted, against the source
  std::optional<double> underMixLu;   // its loudest 400 ms under the mix's loudest 400 ms in the bar before
  std::optional<double> overNextDb;  // its loudest 100 ms within the first half second of the next phrase, against that
  std::optional<double> ringSeconds; // from the end of the source until it stays 60 dB under its loudest
  std::optional<double> lowsDb;      // energy under 200 Hz against the source's
  std::optional<double> lowsThereDb; // the same against the source's or the mix's meanwhile, whichever has more
  std::optional<double> changeLu;    // mix with against without, until the print has fallen by 20 dB
  // Of all kinds.
  double peakRaisedDb = 0;             // sample peak of the mix, over the ornament and the bar before
  double loudnessRaisedLu = 0;         // the mix's loudest 400 ms, over the ornament and the bar before
  bool collides = false, told = false; // with the next phrase, over −24 dB; and `show` says so
  double clickDb = -200;               // a step at its edges, against the largest step of the mix in the 50 ms around
  double pressMs = 0;                  // from the press to the ornament
};

/// What a first press on a row listens to.
Surroundings listenTo(const std::shared_ptr<const RenderPlan>& plan, const std::string& row);

/// Presses at each place of the song by itself.
std::vector<PressFigures> pressAll(const MadeSong& song);

} // namespace ivrin::test
