// Recipes as files, and placed into landings.
#include "files/song_file.h"
#include "manners/recipe_fit.h"
#include "ornaments/kind.h"
#include "services/hearing.h"
#include "song/edits.h"
#include "song/grid_edits.h"
#include "song/limits.h"
#include "song/row_edits.h"
#include "test_support/made_songs.h"
#include "test_support/recipe_scores.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <fstream>
#include <set>

using namespace ivrin;
using namespace ivrin::test;

namespace {

const Registry& registry() {
  static const Registry r = allKinds().registry();
  return r;
}

/// What is wrong with a recipe of these parts: "place: message" of the first.
std::string wrongIn(const std::string& parts) {
  Problems problems;
  const auto r = readRecipe(R"({"format": "ivrin-recipe", "version": 1, "name": "x", "parts": )" + parts + "}",
                            registry(), problems);
  CHECK_FALSE(r);
  REQUIRE(problems.hasErrors());
  return problems.list.front().text();
}

/// Words at 120 BPM until a rest before beat 32, then again; a kit on every beat; a held chord.
TestSong& band(TestSong& t) {
  const auto at = [](std::int64_t f) { return static_cast<double>(f) / 24000; }; // beats
  t.stem("voice", 48 * 24000, [at](std::int64_t f, int) {
    const double b = at(f), in = b - std::floor(b);
    const bool sings = (b < 30 || b >= 32) && in < 0.7;
    return sings ? static_cast<float>(0.2 * std::min({1.0, in / 0.02, (0.7 - in) / 0.1}) *
                                      std::sin(2 * M_PI * 330 * b / 2))
                 : 0.0f;
  });
  t.stem("drums", 48 * 24000, [n = noise(3, 0.3), at](std::int64_t f, int side) {
    const double in = at(f) - std::floor(at(f));
    return n(f, side) * static_cast<float>(std::exp(-in * 12));
  });
  t.stem("keys", 48 * 24000, sine(220, 48000, 0.08));
  t.song.stems[0].role = RowRole::voice;
  t.song.stems[1].role = RowRole::drums;
  t.song.stems[2].role = RowRole::harmony;
  t.song.sections = {{"s1", Beats(0), "One"}, {"s2", Beats::ofQuarters(32), "Two"}};
  return t;
}

struct Applied {
  explicit Applied(TestSong& t)
      : song(t)
      , plan(t.plan()) {}
  RecipeMade operator()(const Recipe& r, const Song& on, const std::string& landing = "s2", RecipeOptions o = {}) {
    return applied(allKinds(), r, on, landing, o, hear());
  }
  Hear hear() { return hearing(plan, song.audio, cache, findings); }
  TestSong& song;
  std::shared_ptr<const RenderPlan> plan;
  std::shared_ptr<PrintCache> cache = std::make_shared<PrintCache>();
  Findings findings;
};

Recipe recipe(std::vector<RecipePart> parts) {
  return {"x", "what it does", std::move(parts)};
}
RecipePart stretch(const char* kind, std::vector<RowRole> on, const char* from, const char* to) {
  RecipePart p;
  p.kind = kind;
  p.on = std::move(on);
  p.from = *readFromLanding(from);
  p.to = *readFromLanding(to);
  return p;
}

} // namespace

TEST_CASE("the recipes that ship: sixteen at least, each other than the rest, each as its file says", "[recipe]") {
  const auto& all = shippedRecipes();
  REQUIRE(all.size() >= 16);
  std::set<std::string> names, says, kinds;
  std::set<std::multiset<std::string>> parts;
  for (const Recipe& r : all) {
    INFO(r.name);
    names.insert(r.name);
    says.insert(r.says);
    std::multiset<std::string> own;
    for (const RecipePart& p : r.parts) {
      own.insert(p.kind);
      kinds.insert(p.kind);
    }
    parts.insert(own);
    CHECK(r.parts.size() >= 3);
    CHECK(std::any_of(r.parts.begin(), r.parts.end(), [](const RecipePart& p) { return p.needed; }));
    Problems problems;
    const auto back = readRecipe(writeRecipe(r), registry(), problems);
    REQUIRE(back);
    CHECK(*back == r);
    CHECK(problems.list.empty());
  }
  CHECK(names.size() == all.size());
  CHECK(says.size() == all.size());
  CHECK(parts.size() >= 15);                      // hardly two of the very same kinds
  CHECK(kinds.size() == allKinds().all().size()); // every kind is of use
}

TEST_CASE("places from a landing as people write them", "[recipe]") {
  const TempoMap map({{Beats(0), 120}}, {{Beats(0), 3, 4}, {Beats::ofQuarters(12), 6, 8}}, Seconds(0), 48000);
  const Beats landing = Beats::ofQuarters(12);
  const auto at = [&](const char* text) {
    const auto place = readFromLanding(text);
    REQUIRE(place);
    CHECK(readFromLanding(fromLandingText(*place)) == place);
    return placeFrom(map, landing, *place).quarters();
  };
  CHECK(at("0") == 12);
  CHECK(at("-2 bars") == 6); // of 3/4
  CHECK(at("1 bar") == 15);  // of 6/8
  CHECK(at("-1.5 beats") == 10.5);
  CHECK(at("1 beat") == 12.5); // an eighth
  for (const char* none : {"", "1", "bar", "-2 lines", "65 bars", "-257 beats", "1e9 bars", "nan beats"}) {
    INFO(none);
    CHECK_FALSE(readFromLanding(none));
  }
}

TEST_CASE("what is no recipe is refused with the field, and the nearest right name", "[recipe]") {
  CHECK(wrongIn("[]").find("parts: ") == 0);
  CHECK(wrongIn("7").find("parts: ") == 0);
  CHECK(wrongIn(R"([{"kind": "tap", "from": "-1 bar", "to": "0"}])").find("did you mean “tape”") != std::string::npos);
  CHECK(wrongIn(R"([{"kind": "gap", "form": "-1 bar", "to": "0"}])").find("parts[0]") == 0);
  CHECK(wrongIn(R"([{"kind": "gap", "from": "-1 lines", "to": "0"}])").find("parts[0].from: ") == 0);
  CHECK(wrongIn(R"([{"kind": "gap"}])").find("parts[0]: needs a time range") == 0);
  CHECK(wrongIn(R"([{"kind": "gap", "on": ["tuba"], "from": "-1 bar", "to": "0"}])").find("parts[0].on[0]: ") == 0);
  CHECK(wrongIn(R"([{"kind": "gap", "from": "-1 bar", "to": "0", "settings": {"depth_db": "low"}}])")
            .find("parts[0].settings.depth_db") == 0);
  CHECK(wrongIn(R"([{"kind": "gap", "from": "-1 bar", "to": "0", "finish": [{"type": "echos"}]}])")
            .find("parts[0].finish[0].type") == 0);
  Problems problems;
  CHECK_FALSE(readRecipe("{\"format\": \"ivrin-recipe\", \"version\": 2, \"name\": \"x\", \"parts\": []}", registry(),
                         problems));
  CHECK(problems.list.front().place == "version");
}

TEST_CASE("recipes of one's own: kept in a folder, read again, broken ones named", "[recipe]") {
  const TempFolder dir;
  std::string why;
  const Recipe r = recipe({stretch("gap", {}, "-1 beat", "0")});
  REQUIRE(keepRecipe(dir / "own", r, why));
  std::ofstream(dir / "own/broken.json") << "{";
  Problems problems;
  const auto all = recipesIn(dir / "own", registry(), problems);
  REQUIRE(all.size() == 1);
  CHECK(all[0] == r);
  REQUIRE(problems.list.size() == 1);
  CHECK(problems.list[0].place.find("broken.json") == 0);
}

TEST_CASE("a recipe is placed on rows by role, its places counted from the landing, all tied to it", "[recipe]") {
  TestSong t;
  Applied apply(band(t));
  RecipePart each = stretch("tape", {RowRole::drums, RowRole::harmony}, "-1 beat", "0");
  each.rows = RecipePart::Rows::each;
  RecipePart word;
  word.kind = "delay-throw";
  word.on = {RowRole::voice};
  word.take = RecipePart::Take::lastWord;
  RecipePart next;
  next.kind = "reverse-reverb";
  next.on = {RowRole::voice};
  next.take = RecipePart::Take::firstWord;
  RecipePart none = stretch("gap", {RowRole::bass}, "-1 beat", "0"); // there is no bass
  const RecipeMade m = apply(recipe({word, each, next, none}), t.song);
  REQUIRE(m.why.empty());
  REQUIRE(m.placed.size() == 3);
  CHECK(m.placed[0].on == "voice");
  CHECK(m.placed[0].start.quarters() == Approx(29).margin(0.05)); // the last word before the rest
  CHECK(m.placed[0].span().end.quarters() == Approx(29.7).margin(0.15));
  CHECK(m.placed[1].on == "drums"); // the first of the roles that the song has, not all of them
  CHECK(m.placed[1].span().end <= Beats::ofQuarters(32));
  CHECK((Beats::ofQuarters(32) - m.placed[1].span().end).quarters() < 0.03);
  CHECK(m.placed[2].start == Beats::ofQuarters(32)); // on the very beat
  for (const Ornament& o : m.placed) {
    CHECK(o.landing == "s2");
    CHECK(o.recipe == RecipeOrigin{"x", "s2"});
  }
  // It goes with its landing, and out with it.
  const Song moved = withLandingMoved(m.song, "s2", Beats::ofQuarters(36));
  CHECK(moved.ornament(m.placed[1].id)->start - m.placed[1].start == Beats::ofQuarters(4));
  CHECK_FALSE(withoutLanding(m.song, "s2").ornament(m.placed[1].id)->recipe);
}

TEST_CASE("sparser and denser, shorter and longer; fitted anew in the place of what was", "[recipe]") {
  TestSong t;
  Applied apply(band(t));
  RecipePart always = stretch("riser", {}, "-2 bars", "0"), dense = stretch("gap", {RowRole::drums}, "-1 beat", "0"),
             normal = stretch("pulse", {RowRole::harmony}, "-1 bar", "0");
  always.scales = true;
  normal.density = 0;
  dense.density = 1;
  const Recipe r = recipe({always, normal, dense});
  CHECK(apply(r, t.song, "s2", {0, 0}).placed.size() == 2);
  const RecipeMade all = apply(r, t.song, "s2", {1, 1});
  REQUIRE(all.placed.size() == 3);
  CHECK(all.placed[0].start == Beats::ofQuarters(16)); // four bars
  CHECK(all.placed[0].recipe == RecipeOrigin{"x", "s2", 1, 1});
  const RecipeMade less = refitted(allKinds(), r, all.song, {"x", "s2"}, "s2", {0, -1}, apply.hear());
  REQUIRE(less.placed.size() == 2);
  CHECK(less.song.ornaments.size() == 2);
  CHECK(less.placed[0].start == Beats::ofQuarters(28));
  // Faster by a half: fitted anew it is on the beats of the landing again.
  const Song faster = withTempoAt(all.song, Beats(0), 180);
  const RecipeMade again = refitted(allKinds(), r, faster, {"x", "s2"}, "s2", {1, 1}, apply.hear());
  REQUIRE(again.why.empty());
  CHECK(again.placed[0].span().end == Beats::ofQuarters(32));
}

TEST_CASE("where a recipe does not fit it says why, and the song is as it was", "[recipe]") {
  TestSong t;
  Applied apply(band(t));
  RecipePart bass = stretch("tape", {RowRole::bass}, "-1 beat", "0");
  bass.needed = true;
  const RecipeMade m = apply(recipe({stretch("riser", {}, "-1 bar", "0"), bass}), t.song);
  CHECK(m.why == "No row plays before this landing. Choose another landing.");
  CHECK(m.song == t.song);
  CHECK(apply(shippedRecipes()[0], t.song, "s1").why ==
        "Nothing plays before the start of the song. Choose a later landing.");
  CHECK(apply(shippedRecipes()[0], t.song, "s9").why == "This landing does not exist.");
}

TEST_CASE("curves take the stretch, whatever it is", "[recipe]") {
  TestSong t;
  Applied apply(band(t));
  RecipePart p = stretch("treat", {RowRole::harmony}, "-2 bars", "0");
  p.curvesOver = 4;
  p.settings = {{"dry", "replace"}, {"mix_percent", 100.0}};
  p.finish = {{"filter", {{"high_cut_hz", List{List{0.0, 9000.0}, List{4.0, 300.0, 0.2}}}}}};
  const RecipeMade m = apply(recipe({p, stretch("gap", {}, "-1 beat", "0")}), t.song);
  REQUIRE(m.placed.size() == 2);
  CHECK(m.placed[0].finish.front().settings.at("high_cut_hz") == Value(List{List{0.0, 9000.0}, List{8.0, 300.0, 0.2}}));
}

TEST_CASE("what was added is turned down where the mix would come to its ceiling", "[recipe]") {
  TestSong t;
  band(t);
  t.song.mix.gainDb = 4; // its peaks lie a little under −1 dB below the ceiling
  Applied apply(t);
  RecipePart loud = stretch("riser", {}, "-1 bar", "0");
  loud.settings = {{"of", "noise"}, {"hit_db", 0.0}};
  const RecipeMade m = apply(recipe({loud, stretch("gap", {RowRole::harmony}, "-1 beat", "0")}), t.song);
  REQUIRE(m.why.empty());
  CHECK(m.placed[0].gainDb < -0.9);
  CHECK(
      (m.mostDb <= t.song.mix.ceilingDbtp - 1 + 0.01 || m.mostDb <= m.mostBeforeDb + 0.1 || m.placed[0].gainDb <= -9));
}

TEST_CASE("a recipe of ornaments that are there gives them again at another landing", "[recipe]") {
  TestSong t;
  Applied apply(band(t));
  const RecipeMade m =
      apply(recipe({stretch("tape", {RowRole::drums}, "-1 bar", "0"), stretch("gap", {}, "-1 beat", "0")}), t.song);
  REQUIRE(m.placed.size() == 2);
  const Recipe own = recipeOf(m.song, {m.placed[0].id, m.placed[1].id}, Beats::ofQuarters(32), "mine");
  REQUIRE(own.parts.size() == 2);
  CHECK(own.parts[0].on == std::vector<RowRole>{RowRole::drums});
  CHECK(own.parts[1].on.empty());
  const Song two = withLanding(t.song, {"l1", Beats::ofQuarters(16), "half"});
  const RecipeMade there = apply(own, two, "l1");
  REQUIRE(there.placed.size() == 2);
  CHECK((there.placed[0].start - m.placed[0].start).quarters() == Approx(-16).margin(0.03));
  CHECK(there.placed[1].on == kMixRow);
}

TEST_CASE("an ornament's recipe is read and written in version 2, refused in version 1 and without its landing",
          "[recipe][song]") {
  Song s;
  s.sections = {{"s1", Beats::ofQuarters(8), "One"}};
  Ornament o;
  o.id = "o1";
  o.kind = "gap";
  o.on = kMixRow;
  o.start = Beats::ofQuarters(4);
  o.length = Beats::ofQuarters(4);
  s.ornaments.push_back(o);
  CHECK(writeSong(s, registry()).find("recipe") == std::string::npos);
  CHECK(lowestVersion(s, registry()) == 1);
  o.recipe = RecipeOrigin{"breath and fall", "s1", -1, 1};
  s.ornaments.set(0, o);
  CHECK(lowestVersion(s, registry()) == 2);
  const std::string text = writeSong(s, registry());
  Problems problems;
  const auto back = readSong(text, registry(), problems);
  REQUIRE(back);
  CHECK(back->ornaments == s.ornaments);
  CHECK(problems.list.empty());
  const auto refused = [&](const std::string& from, const std::string& to) {
    std::string changed = text;
    changed.replace(changed.find(from), from.size(), to);
    Problems own;
    readSong(changed, registry(), own);
    return own.list.empty() ? std::string() : own.list.front().place;
  };
  CHECK(refused("\"version\": 2", "\"version\": 1") == "ornaments[0].recipe");
  CHECK(refused("\"landing\": \"s1\"", "\"landing\": \"s7\"") == "ornaments[0].recipe.landing");
  CHECK(refused("\"density\": -1", "\"density\": 3") == "ornaments[0].recipe.options.density");
}

TEST_CASE("every recipe on a made song: read again as written, on the frame, with room, fitted anew",
          "[recipe][heavy]") {
  { // four seconds: a song is made and listened to
    const MadeSong made = madeSong(6);
    REQUIRE(made.name == "waltz");
    const auto bare = made.song->plan();
    const auto cache = std::make_shared<PrintCache>();
    Findings findings;
    int fit = 0;
    std::string landing;
    for (const Landing& l : made.song->song.allLandings()) landing = l.id;
    int n = 0;
    for (const Recipe& r : shippedRecipes()) {
      if (n++ % 3 != 0) continue; // docs/recipes.md has all
      INFO(made.name << ": " << r.name);
      const RecipeScore s = scored(r, bare, made.song->audio, cache, landing, findings);
      if (!s.fits()) continue;
      ++fit;
      CHECK(s.placed >= 2);
      CHECK(s.checks);
      CHECK(s.landsOff <= 1);
      CHECK(s.hasRoom());
      CHECK(s.refits);
    }
    CHECK(fit >= 4);
  }
}
