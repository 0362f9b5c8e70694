// A recipe at a landing of a song: its parts placed by their first presses, one after another.
#pragma once

#include "manners/placing.h"
#include "manners/recipe.h"

namespace ivrin {

struct RecipeOptions {
  int density = 0; // −1..1
  int length = 0;  // −1..1: half as long, twice as long
};

struct RecipeMade {
  Song song;                    // with it
  std::vector<Ornament> placed; // in the order of the parts; each is tied to the landing and says its recipe
  std::string why;              // nothing is placed, and why; mostly empty
  double mostDb = -200;         // sample peak of the mix about the landing with it, before the limiter, dBFS
  double mostBeforeDb = -200;   // and without it
};

/// A part more is there: the song with all so far, their levels not yet looked at together.
using RecipePartPlaced = std::function<void(const Song& song, const std::vector<std::string>& placed)>;

/// Each part hears the rows as the ones before it left them. Levels are then looked at together: where the mix would
/// come within 1 dB of its ceiling, and did not before, what was added is turned down. `landing` must be one of the
/// song.
RecipeMade applied(const KindSet& kinds, const Recipe& recipe, const Song& song, const std::string& landing,
                   const RecipeOptions& options, const Hear& hear, const RecipePartPlaced& part = {});

/// Its ornaments taken out and placed anew by the recipe, at another landing or with other options.
RecipeMade refitted(const KindSet& kinds, const Recipe& recipe, Song song, const RecipeOrigin& was,
                    const std::string& landing, const RecipeOptions& options, const Hear& hear);
/// Ids of the ornaments that came with it.
std::vector<std::string> ornamentsOf(const Song& song, const RecipeOrigin& origin);

/// Row for a part, or rows; for what draws a recipe before it is placed. Nothing where the song has none.
std::vector<std::string> rowsFor(const Song& song, const RecipePart& part);

} // namespace ivrin
