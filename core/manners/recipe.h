// Whole transitions as data: what a recipe places before and on a landing, with roles instead of rows and places
// counted from the landing. Open JSON, one file each; the ones that ship are such files (core/manners/recipes).
//
//   {"format": "ivrin-recipe", "version": 1, "name": "breath and fall", "says": "the last word is thrown, …",
//    "parts": [{"kind": "delay-throw", "on": ["voice", "any"], "take": "last word"},
//              {"kind": "tape", "on": ["drums", "bass"], "rows": "each", "from": "-1 beat", "to": "0",
//               "settings": {"shape": "stop"}, "needed": true}]}
#pragma once

#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

/// A place counted from a landing: so many bars and beats of the meter there.
struct FromLanding {
  double bars = 0, beats = 0;
  friend bool operator==(const FromLanding&, const FromLanding&) = default;
};
/// "-2 bars", "1.5 beats", "0". Nothing where it is no such place.
std::optional<FromLanding> readFromLanding(std::string_view text);
std::string fromLandingText(const FromLanding& place);
Beats placeFrom(const TempoMap& map, Beats landing, const FromLanding& place);

struct RecipePart {
  enum class Rows { one, each }; // the one that sounds most, or all of its roles
  enum class Take { stretch, lastWord, firstWord };
  std::string kind;
  /// In this order, the first that a row of the song has which sounds there. Empty: the mix.
  std::vector<RowRole> on;
  bool orAny = false; // else the row that sounds most and has nothing of the recipe yet
  Rows rows = Rows::one;
  Take take = Take::stretch;
  /// Of a stretch. Of a word `to` says where it ends instead of with the word, if `holds`.
  FromLanding from, to;
  bool holds = false;
  int density = -1;    // −1: always; 0: but not when sparser; 1: only when denser
  bool needed = false; // without it the recipe does not fit
  bool scales = false; // longer and shorter with the recipe
  double curvesOver =
      0;             // beats that its curves are drawn over: they take the stretch, whatever that is; 0: as they are
  Settings settings; // as its first press has them where they are not here
  std::vector<Processor> finish;
  friend bool operator==(const RecipePart&, const RecipePart&) = default;
};

struct Recipe {
  std::string name, says;
  std::vector<RecipePart> parts;
  friend bool operator==(const Recipe&, const Recipe&) = default;
};

inline constexpr std::size_t kMostRecipeParts = 32;
inline constexpr double kFarthestFromLanding = 64; // bars, or 256 beats

const std::vector<Recipe>& shippedRecipes();
/// The text of a file. Nothing, with problems that name the field, if it is not one.
std::optional<Recipe> readRecipe(std::string_view text, const Registry& registry, Problems& problems);
std::string writeRecipe(const Recipe& recipe);
/// Where the user's own lie.
std::filesystem::path ownRecipes();
/// Those that ship, then the user's own; of these what cannot be read is an error that names the file.
std::vector<Recipe> allRecipes(const Registry& registry, Problems& problems);
/// All files of a folder in the order of their names; what cannot be read is an error that names the file.
std::vector<Recipe> recipesIn(const std::filesystem::path& folder, const Registry& registry, Problems& problems);
/// Writes FOLDER/NAME.json, made if need be; one of the same name is replaced. False, with `why`.
bool keepRecipe(const std::filesystem::path& folder, const Recipe& recipe, std::string& why);

/// Of ornaments that are there, for other landings: roles for their rows, places counted from the landing.
Recipe recipeOf(const Song& song, const std::vector<std::string>& ornaments, Beats landing, const std::string& name);

} // namespace ivrin
