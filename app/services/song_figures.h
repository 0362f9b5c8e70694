// This file computes the figures of every ornament of a song that `ivrin-cli show` lists.
#pragma once

#include "services/chosen_facts.h"

namespace ivrin {

struct OrnamentFigures {
  std::shared_ptr<const OrnamentNode> node;
  OrnamentFacts facts;
  /// Of what only adds: its loudest moment against its source's, and how far it is under the mix it lands in.
  std::optional<double> overSourceLu, underMixLu;
  std::vector<Collision> collisions; // with its own row
  std::vector<Collision> over;       // with other stems, the one it covers most first
};

/// Of all that are not bypassed, in song order; the prints are completed. On so many threads.
std::vector<OrnamentFigures> figuresOfAll(const std::shared_ptr<const RenderPlan>& plan, const SongAudio& audio,
                                          PrintCache& cache, Findings& findings, int threads);

} // namespace ivrin
