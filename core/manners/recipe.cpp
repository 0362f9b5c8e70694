#include "manners/recipe.h"

#include "files/json.h"
#include "files/named_files.h"
#include "files/user_folder.h"
#include "finish/starting_points.h"
#include "manners/shipped_recipes.h"
#include "ornaments/kind.h"
#include "song/row_edits.h"
#include "time/plain_number.h"
#include "words/words.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr const char* kRecipeFormat = "ivrin-recipe";
constexpr std::size_t kLongestRecipeName = 200, kLongestSays = 1000; // bytes

constexpr const char* kLastWord = "last word";
constexpr const char* kFirstWord = "first word";
constexpr std::array<const char*, 3> kDensities = {"always", "normal", "denser"};

std::string_view trimmed(std::string_view s) {
  while (!s.empty() && s.front() == ' ') s.remove_prefix(1);
  while (!s.empty() && s.back() == ' ') s.remove_suffix(1);
  return s;
}

/// Fields of one object; what is there and was not asked for is an error.
class RecipeFields {
 public:
  RecipeFields(const Value& v, std::string place, Problems& problems)
      : place_(std::move(place))
      , problems_(problems)
      , object_(v.object()) {
    if (!object_) problems_.error(ErrorId::wrong_type, place_, worded("must be an object, not %1", v.typeName()));
  }
  const Value* find(const std::string& name) {
    asked_.push_back(name);
    if (object_)
      for (const auto& [key, value] : *object_)
        if (key == name) return &value;
    return nullptr;
  }
  std::string at(const std::string& name) const { return place_.empty() ? name : place_ + "." + name; }
  std::string text(const std::string& name, std::size_t most) {
    const Value* v = find(name);
    if (!v) return {};
    if (!v->text() || v->text()->size() > most) {
      problems_.error(ErrorId::wrong_type, at(name), worded("must be text of up to %1 bytes", most));
      return {};
    }
    return *v->text();
  }
  bool yes(const std::string& name) {
    const Value* v = find(name);
    if (v && !v->boolean()) problems_.error(ErrorId::wrong_type, at(name), worded("must be true or false"));
    return v && v->boolean() && *v->boolean();
  }
  FromLanding place(const std::string& name) {
    const std::string said = text(name, 100);
    if (said.empty()) return {};
    const auto read = readFromLanding(said);
    if (!read)
      problems_.error(
          ErrorId::out_of_range, at(name),
          worded("“%1” is not a distance from a landing, such as \"-2 bars\", \"1.5 beats\" or \"0\"", said));
    return read.value_or(FromLanding());
  }
  /// One of these, by its place; the first where nothing is said.
  template <std::size_t N>
  std::size_t choice(const std::string& name, const std::array<const char*, N>& all, std::size_t otherwise) {
    const std::string said = text(name, 100);
    if (said.empty()) return otherwise;
    const auto found = std::find(all.begin(), all.end(), said);
    if (found == all.end())
      problems_.error(ErrorId::unknown_choice, at(name),
                      worded("“%1” is not one of the choices%2", said, didYouMean(said, {all.begin(), all.end()})));
    return found == all.end() ? otherwise : static_cast<std::size_t>(found - all.begin());
  }
  void end() {
    if (!object_) return;
    for (const auto& [key, value] : *object_)
      if (std::find(asked_.begin(), asked_.end(), key) == asked_.end())
        problems_.error(ErrorId::unknown_field, at(key),
                        worded("is not a field of a recipe%1", didYouMean(key, asked_)));
  }

 private:
  std::string place_;
  Problems& problems_;
  const Object* object_;
  std::vector<std::string> asked_;
};

RecipePart readPart(const Value& v, const std::string& place, const Registry& registry, Problems& problems) {
  RecipeFields f(v, place, problems);
  RecipePart p;
  p.kind = f.text("kind", 100);
  const TableSpec* table = registry.kind(p.kind);
  if (!table) {
    std::vector<std::string> names;
    for (const auto& t : registry.kinds) names.push_back(t.id);
    problems.error(ErrorId::unknown_kind, f.at("kind"),
                   worded("“%1” is not an ornament that this version knows%2", p.kind, didYouMean(p.kind, names)));
  }
  if (const Value* on = f.find("on")) {
    const List* l = on->list();
    if (!l || l->size() > 8) problems.error(ErrorId::wrong_type, f.at("on"), worded("must be a list of up to 8 roles"));
    for (std::size_t i = 0; l && i < std::min<std::size_t>(l->size(), 8); ++i) {
      const std::string word = (*l)[i].text() ? *(*l)[i].text() : std::string();
      if (word == "any") {
        p.orAny = true;
      } else if (const auto role = roleOfWord(word)) {
        p.on.push_back(*role);
      } else if (word != "mix") {
        problems.error(ErrorId::unknown_choice, f.at("on") + "[" + std::to_string(i) + "]",
                       worded("“%1” is not a role, \"any\" or \"mix\"", word));
      }
    }
  }
  p.rows = f.choice<2>("rows", {"one", "each"}, 0) == 0 ? RecipePart::Rows::one : RecipePart::Rows::each;
  p.take = static_cast<RecipePart::Take>(f.choice<3>("take", {"stretch", kLastWord, kFirstWord}, 0));
  p.from = f.place("from");
  p.holds = p.take != RecipePart::Take::stretch && f.find("to") != nullptr;
  p.to = f.place("to");
  p.density = static_cast<int>(f.choice<3>("density", kDensities, 0)) - 1;
  p.needed = f.yes("needed");
  p.scales = f.yes("scales");
  if (const Value* over = f.find("curves_over")) {
    if (over->number() && *over->number() > 0 && *over->number() <= 1024)
      p.curvesOver = *over->number();
    else
      problems.error(ErrorId::out_of_range, f.at("curves_over"), worded("must be a number of beats up to 1024"));
  }
  if (const Value* settings = f.find("settings")) {
    if (const Object* o = settings->object())
      for (const auto& [key, value] : *o) p.settings[key] = value;
    else
      problems.error(ErrorId::wrong_type, f.at("settings"), worded("must be an object, not %1", settings->typeName()));
    if (table) checkSettings(*table, p.settings, f.at("settings"), problems);
  }
  if (const Value* finish = f.find("finish")) p.finish = readChain(*finish, f.at("finish"), registry, problems);
  f.end();
  if (p.take == RecipePart::Take::stretch && p.from == p.to)
    problems.error(ErrorId::missing_field, place,
                   worded("needs a time range (\"from\", \"to\") or a word to \"take\""));
  return p;
}

Value partValue(const RecipePart& p) {
  List on;
  for (const RowRole r : p.on) on.emplace_back(roleWord(r));
  if (p.orAny) on.emplace_back("any");
  if (on.empty()) on.emplace_back("mix");
  Object o{{"kind", p.kind}, {"on", Value(std::move(on))}};
  if (p.rows == RecipePart::Rows::each) o.emplace_back("rows", "each");
  if (p.take != RecipePart::Take::stretch)
    o.emplace_back("take", p.take == RecipePart::Take::lastWord ? kLastWord : kFirstWord);
  else
    o.emplace_back("from", fromLandingText(p.from));
  if (p.take == RecipePart::Take::stretch || p.holds) o.emplace_back("to", fromLandingText(p.to));
  if (p.density > -1) o.emplace_back("density", kDensities[static_cast<std::size_t>(p.density + 1)]);
  if (p.needed) o.emplace_back("needed", true);
  if (p.scales) o.emplace_back("scales", true);
  if (p.curvesOver > 0) o.emplace_back("curves_over", p.curvesOver);
  if (!p.settings.empty()) {
    Object settings;
    for (const auto& [key, value] : p.settings) settings.emplace_back(key, value);
    o.emplace_back("settings", Value(std::move(settings)));
  }
  if (!p.finish.empty()) o.emplace_back("finish", Value(chainList(p.finish)));
  return o;
}

} // namespace

std::optional<FromLanding> readFromLanding(std::string_view text) {
  text = trimmed(text);
  const NumberRead n = readNumber(text);
  if (n.rest.size() == text.size()) return std::nullopt;
  const std::string_view unit = trimmed(n.rest);
  const bool bars = unit == "bar" || unit == "bars", beats = unit == "beat" || unit == "beats";
  if (std::abs(n.value) > kFarthestFromLanding * (beats ? 4 : 1)) return std::nullopt;
  if (bars) return FromLanding{n.value, 0};
  if (beats) return FromLanding{0, n.value};
  return unit.empty() && n.value == 0 ? std::optional(FromLanding()) : std::nullopt;
}

std::string fromLandingText(const FromLanding& place) {
  const auto said = [](double n, const char* one, const char* more) {
    return roundNumber(n, 8) + " " + (std::abs(n) == 1 ? one : more);
  };
  if (place.bars != 0) return said(place.bars, "bar", "bars");
  return place.beats != 0 ? said(place.beats, "beat", "beats") : "0";
}

Beats placeFrom(const TempoMap& map, Beats landing, const FromLanding& place) {
  // Of the meter that leads to the landing, or of the one that starts there.
  const bool before = place.bars < 0 || place.beats < 0;
  const MeterEntry& meter = map.meterAt(before ? landing - Beats(1) : landing);
  const double ticks = place.bars * static_cast<double>(meter.barLength().ticks) +
                       place.beats * static_cast<double>(meter.beatLength().ticks);
  return landing + Beats(std::llround(ticks));
}

std::optional<Recipe> readRecipe(std::string_view text, const Registry& registry, Problems& problems) {
  const auto root = parseJson(text, problems);
  if (!root) return std::nullopt;
  Problems own;
  RecipeFields f(*root, "", own);
  Recipe r;
  if (f.text("format", 100) != kRecipeFormat)
    own.error(ErrorId::wrong_type, "format", worded("is not “%1”", kRecipeFormat));
  if (const Value* version = f.find("version"); version && (!version->number() || *version->number() != 1))
    own.error(ErrorId::newer_version, "version", worded("has a version that this Ivrin does not read (only 1)"));
  r.name = f.text("name", kLongestRecipeName);
  if (r.name.empty()) own.error(ErrorId::missing_field, "name", worded("is missing"));
  r.says = f.text("says", kLongestSays);
  const Value* parts = f.find("parts");
  const List* list = parts ? parts->list() : nullptr;
  if (!list || list->empty() || list->size() > kMostRecipeParts)
    own.error(ErrorId::wrong_type, "parts", worded("must be a list of 1 to %1 parts", kMostRecipeParts));
  for (std::size_t i = 0; list && i < std::min(list->size(), kMostRecipeParts); ++i)
    r.parts.push_back(readPart((*list)[i], "parts[" + std::to_string(i) + "]", registry, own));
  f.end();
  const bool wrong = own.hasErrors();
  problems.append(std::move(own));
  return wrong ? std::nullopt : std::optional(std::move(r));
}

std::string writeRecipe(const Recipe& recipe) {
  List parts;
  for (const RecipePart& p : recipe.parts) parts.push_back(partValue(p));
  return prettyJson(Object{{"format", kRecipeFormat},
                           {"version", 1},
                           {"name", recipe.name},
                           {"says", recipe.says},
                           {"parts", Value(std::move(parts))}});
}

const std::vector<Recipe>& shippedRecipes() {
  static const std::vector<Recipe> all = [] {
    std::vector<Recipe> read;
    Problems problems; // there are none: a test reads them too
    for (const char* text : kShippedRecipes)
      if (auto r = readRecipe(text, allKinds().registry(), problems)) read.push_back(std::move(*r));
    return read;
  }();
  return all;
}

std::vector<Recipe> recipesIn(const fs::path& folder, const Registry& registry, Problems& problems) {
  std::vector<Recipe> all;
  eachNamedFile(folder, problems, [&](const std::string& text, Problems& own) {
    if (auto r = readRecipe(text, registry, own)) all.push_back(std::move(*r));
  });
  return all;
}

fs::path ownRecipes() {
  return userFolder(UserFolder::data) / "recipes";
}

std::vector<Recipe> allRecipes(const Registry& registry, Problems& problems) {
  std::vector<Recipe> all = shippedRecipes();
  for (Recipe& r : recipesIn(ownRecipes(), registry, problems)) all.push_back(std::move(r));
  return all;
}

bool keepRecipe(const fs::path& folder, const Recipe& recipe, std::string& why) {
  if (recipe.name.size() > kLongestRecipeName) { // it could not be read again
    why = worded("the name of a recipe is too long (at most %1 bytes)", kLongestRecipeName);
    return false;
  }
  return keepNamedFile(folder, recipe.name, writeRecipe(recipe), why);
}

Recipe recipeOf(const Song& song, const std::vector<std::string>& ornaments, Beats landing, const std::string& name) {
  Recipe r{name, {}, {}};
  const TempoMap map = song.tempoMap();
  for (const std::string& id : ornaments) {
    const Ornament* o = song.ornament(id);
    if (!o || r.parts.size() >= kMostRecipeParts) continue;
    RecipePart p;
    p.kind = o->kind;
    if (o->on != kMixRow) {
      if (const auto role = roleOfRow(song, o->on)) p.on.push_back(*role);
      p.orAny = true;
    }
    const auto counted = [&](Beats at) {
      const Beats beat = map.meterAt(at < landing ? landing - Beats(1) : landing).beatLength();
      return FromLanding{
          0, std::round(static_cast<double>((at - landing).ticks) / static_cast<double>(beat.ticks) * 1e4) / 1e4};
    };
    p.from = counted(o->start);
    p.to = counted(o->span().end);
    p.settings = o->settings;
    p.finish = o->finish;
    p.curvesOver = std::min(o->length.quarters(), 1024.0);
    std::erase_if(p.finish, [](const Processor& one) { return one.type == "level"; }); // its level is fitted anew
    r.parts.push_back(std::move(p));
  }
  return r;
}

} // namespace ivrin
