// Commands that list whole transitions and place them.
#include "commands.h"
#include "opened.h"

#include "files/json.h"
#include "files/safe_file.h"
#include "manners/recipe_fit.h"
#include "services/hearing.h"
#include "time/plain_number.h"

#include <algorithm>
#include <iostream>

namespace ivrin::cli {
namespace {

std::vector<Recipe> recipesThereAre() {
  Problems problems;
  std::vector<Recipe> all = allRecipes(allKinds().registry(), problems);
  say("recipes", problems);
  return all;
}

std::optional<Recipe> recipeNamed(const std::string& name, const std::string& option) {
  if (name.ends_with(".json")) {
    std::string why;
    Problems problems;
    const auto text = readWholeFile(name, 1 << 20, why);
    if (!text) problems.error(ErrorId::unreadable, "", why);
    auto recipe = text ? readRecipe(*text, allKinds().registry(), problems) : std::nullopt;
    say(name, problems);
    return recipe;
  }
  std::vector<std::string> names;
  for (Recipe& r : recipesThereAre()) {
    if (r.name == name) return std::move(r);
    names.push_back(r.name);
  }
  std::cerr << "ivrin-cli: " << option << ": there is no recipe \"" << name << "\"" << didYouMean(name, names) << '\n';
  return std::nullopt;
}

} // namespace

int recipes(const std::string& only, bool json) {
  if (!only.empty()) {
    const auto recipe = recipeNamed(only, "RECIPE");
    if (!recipe) return 2;
    std::cout << writeRecipe(*recipe);
    return 0;
  }
  List list;
  for (const Recipe& r : recipesThereAre()) {
    if (!json) {
      std::cout << r.name << "\n    " << r.says << '\n';
      continue;
    }
    List kinds;
    for (const RecipePart& p : r.parts) kinds.emplace_back(p.kind);
    list.emplace_back(Object{{"name", r.name}, {"says", r.says}, {"kinds", Value(std::move(kinds))}});
  }
  if (json) std::cout << prettyJson(Object{{"recipes", Value(std::move(list))}});
  return 0;
}

int apply(const ApplyOptions& o) {
  const auto recipe = recipeNamed(o.recipe, "--recipe");
  if (!recipe) return 2;
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  if (!opened->song.landingById(o.landing)) {
    std::vector<std::string> ids;
    for (const Landing& l : opened->song.allLandings()) ids.push_back(l.id);
    std::cerr << "ivrin-cli: --landing: there is no landing or section \"" << o.landing << "\""
              << didYouMean(o.landing, ids) << '\n';
    return 2;
  }
  const auto cache = std::make_shared<PrintCache>();
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), *cache);
  Findings findings({StemStore::defaultFolder(), false});
  const Hear hear = hearing(plan, opened->audio, cache, findings);
  const RecipeOptions options{o.density, o.length};
  const RecipeMade made =
      o.refit ? refitted(allKinds(), *recipe, opened->song, {recipe->name, o.landing}, o.landing, options, hear)
              : applied(allKinds(), *recipe, opened->song, o.landing, options, hear);
  if (!made.why.empty()) {
    std::cerr << "ivrin-cli: \"" << recipe->name << "\" does not fit there: " << made.why << '\n';
    return 1;
  }
  if (o.song.json) {
    List placed;
    for (const Ornament& one : made.placed)
      placed.emplace_back(Object{{"id", one.id},
                                 {"kind", one.kind},
                                 {"on", one.on},
                                 {"start", one.start.quarters()},
                                 {"length", one.length.quarters()}});
    std::cout << prettyJson(Object{{"recipe", recipe->name},
                                   {"landing", o.landing},
                                   {"placed", Value(std::move(placed))},
                                   {"peak_dbfs", made.mostDb}});
  } else {
    for (const Ornament& one : made.placed) std::cerr << "  " << one.kind << " on " << one.on << '\n';
  }
  if (const double over = made.mostDb - opened->song.mix.ceilingDbtp; over > -1)
    std::cerr << "note: the mix peaks "
              << (made.mostBeforeDb > made.mostDb - 0.1
                      ? "there as high without it"
                      : fixedNumber(made.mostDb - made.mostBeforeDb, 1) + " dB higher with it, and its limiter works")
              << '\n';
  return writeEdited(*opened, made.song, o.out, "");
}

} // namespace ivrin::cli
