// This file measures what the measure line and the open row say of the chosen ornament, from its print and the mix.
#pragma once

#include "analysis/collisions.h"
#include "render/facts.h"
#include "services/findings.h"

namespace ivrin {

/// What is heard about a place where an ornament leaves or meets its row: left and right in the middle of each other,
/// 2 ms before and 2 ms after.
struct Seam {
  Frames at;
  std::vector<float> row;
};

struct ChosenFacts {
  std::string ornament;
  double lufsWith = -200, lufsWithout = -200, peakDbfs = -200, lowsAddedDb = 0;
  Beats tailEnd;
  std::optional<LoopFigures> loop;
  std::vector<Collision> collisions; // with another phrase than the one it lies in
  bool overWhatGoesOn = false;       // and it lies over that one, going on
  std::vector<Collision> over;       // with other stems, the one it covers most first
  std::vector<std::string> notes;
  std::vector<Seam> seams; // of kinds that replace the row
  /// What is played was taken from here, found by listening: 8 ms before and 16 ms after.
  std::optional<Seam> taken;
};

/// Where the print of an ornament, complete, meets what its row plays. None when asked to stop.
std::vector<Collision> collisionsOf(const std::shared_ptr<const RenderPlan>& plan,
                                    const std::shared_ptr<const OrnamentNode>& node, Findings& findings,
                                    std::stop_token stop = {});

/// Other stems that the print of an ornament, complete, lies over in the mix; the one it covers most first. None where
/// it takes its row's place: there was the row before.
std::vector<Collision> rowsUnder(const std::shared_ptr<const RenderPlan>& plan,
                                 const std::shared_ptr<const OrnamentNode>& node, Findings& findings,
                                 std::stop_token stop = {});

/// `without` is the plan of the same song with the ornament bypassed. Nothing when asked to stop.
std::optional<ChosenFacts> measureChosen(const std::shared_ptr<const RenderPlan>& plan, const std::string& ornament,
                                         const std::shared_ptr<const RenderPlan>& without, Findings& findings,
                                         std::stop_token stop);

} // namespace ivrin
