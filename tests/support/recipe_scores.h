// Recipes measured: what one makes of a landing, by means that know nothing of how it was fitted.
#pragma once

#include "manners/recipe_fit.h"
#include "render/render_plan.h"
#include "services/findings.h"

namespace ivrin::test {

struct RecipeScore {
  std::string recipe, landing, why; // why it does not fit
  std::size_t placed = 0;
  bool checks = false;        // what is written is read again without a problem, and is the same
  std::int64_t landsOff = 0;  // frames: the farthest that one of its swells, risers and edges misses its place
  double peakDb = -200;       // of the mix about it, sample peak before the limiter
  double peakBeforeDb = -200; // without it
  double roomDb = 0;          // under the ceiling
  std::size_t collisions = 0; // that are told
  bool refits = false;        // at a tenth faster all of it is there again, on the landing
  double seconds = 0;         // from the press to all of it placed
  bool fits() const { return why.empty(); }
  /// Under the ceiling by 1 dB, or no higher than it was.
  bool hasRoom() const { return roomDb >= 1 || peakDb <= peakBeforeDb + 0.1; }
};

/// `bare` is the plan of the song as it is, with its prints in `cache`, as a window has them when a key is pressed.
RecipeScore scored(const Recipe& recipe, const std::shared_ptr<const RenderPlan>& bare, const SongAudio& audio,
                   const std::shared_ptr<PrintCache>& cache, const std::string& landing, Findings& findings);

} // namespace ivrin::test
