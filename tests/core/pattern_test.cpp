// Patterns: what the tools make of them, and how they are written down.
#include "patterns/pattern_book.h"
#include "patterns/pattern_tools.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <set>

using namespace ivrin;
using namespace ivrin::test;

namespace {

std::string drawn(const Pattern& p) {
  std::string all;
  for (const PatternStep& s : p) all += s.sounds() ? 'x' : '.';
  return all;
}

Pattern steps(const std::string& all) {
  Pattern p;
  for (const char c : all) p.push_back({.level = c == '.' ? 0.0 : 1.0});
  return p;
}

} // namespace

TEST_CASE("steps are spread as Bjorklund spreads them", "[patterns]") {
  // From G. Toussaint's tables.
  for (const auto& [k, n, wanted] : std::vector<std::tuple<int, int, std::string>>{{3, 8, "x..x..x."},
                                                                                   {5, 8, "x.xx.xx."},
                                                                                   {2, 5, "x.x.."},
                                                                                   {4, 12, "x..x..x..x.."},
                                                                                   {5, 16, "x..x..x..x..x..."},
                                                                                   {7, 16, "x..x.x.x..x.x.x."},
                                                                                   {0, 4, "...."},
                                                                                   {4, 4, "xxxx"}})
    CHECK(drawn(spread(steps(std::string(static_cast<std::size_t>(n), 'x')), k)) == wanted);
  for (int n = 1; n <= 64; ++n)
    for (int k = 1; k <= n; ++k) {
      const Pattern p = spread(steps(std::string(static_cast<std::size_t>(n), '.')), k);
      CHECK(sounding(p) == k);
      CHECK(p.front().sounds());
      // No two gaps differ by more than one.
      std::vector<int> gaps;
      int gap = 0;
      for (std::size_t i = 1; i <= p.size(); ++i, ++gap)
        if (i == p.size() || p[i].sounds()) gaps.push_back(std::exchange(gap, -1));
      CHECK(*std::max_element(gaps.begin(), gaps.end()) - *std::min_element(gaps.begin(), gaps.end()) <= 1);
    }
}

TEST_CASE("patterns turn, mirror, thin out and fill", "[patterns]") {
  CHECK(drawn(turned(steps("xx.."), 1)) == ".xx.");
  CHECK(drawn(turned(steps("xx.."), -1)) == "x..x");
  CHECK(turned(turned(steps("x.xx."), 3), -3) == steps("x.xx."));
  CHECK(drawn(mirrored(steps("xx.x...."))) == "x....x.x");
  CHECK(mirrored(mirrored(steps("xx.x..x."))) == steps("xx.x..x."));
  CHECK(drawn(thinned(steps("xxxx"))) == "x.x.");
  CHECK(drawn(thinned(steps("x.x."))) == "x...");
  CHECK(drawn(thinned(steps("x..."))) == "x...");
  const Pattern full = filled(steps("x..x"), 0.5);
  CHECK(drawn(full) == "xxxx");
  CHECK(full[1].level == 0.5);
  CHECK(filled(steps(".x"), 0.5)[0].level == 0.5);
  CHECK(drawn(silentEvery(steps("xxxxxx"), 3)) == "xx.xx.");
  const Pattern sides = sidesInTurn(steps("x.xx"), 0.7);
  CHECK(sides[0].side == -0.7);
  CHECK(sides[1].side == 0);
  CHECK(sides[2].side == 0.7);
  CHECK(sides[3].side == -0.7);
}

TEST_CASE("accents weigh the bar, half of it, its beats and what lies between, in any meter", "[patterns]") {
  const TempoMap four({{Beats(0), 100}}, {{Beats(0), 4, 4}, {Beats::ofQuarters(8), 7, 8}}, Seconds(0), 48000);
  const auto at = [&](double quarters) { return accentAt(four, Beats::ofQuarters(quarters)); };
  CHECK(at(0) == Accent::bar);
  CHECK(at(2) == Accent::halfBar);
  CHECK(at(1) == Accent::beat);
  CHECK(at(3.5) == Accent::offbeat);
  CHECK(at(3.25) == Accent::none);
  CHECK(at(8) == Accent::bar);
  CHECK(at(11.5) == Accent::bar);
  CHECK(at(8.5) == Accent::beat);
  CHECK(at(8.25) == Accent::offbeat);
  CHECK(at(-4) == Accent::bar);
}

TEST_CASE("every tool works on the cells of every kind that has some", "[patterns]") {
  for (const Kind* kind : allKinds().all()) {
    if (!kind->cuts()) continue;
    INFO(kind->table().id);
    TestSong t(48000, 96);
    t.stem("v", 48000, silence());
    t.song.meter = {{Beats(0), 5, 4}};
    t.ornament(kind->table().id, "v", 5, 20,
               kind->table().id == "glitch" ? Settings{{"chance_percent", List{50.0}}} : Settings{});
    for (const PatternTool& tool : patternTools()) {
      INFO(tool.key);
      const auto plan = t.plan();
      const auto cells = kind->cells({*plan->ornament("o1"), plan->context()});
      const ToolApplied done = applied(tool.id, *cells, plan->map());
      CHECK_FALSE(done.said.empty());
      if (!done.next) continue;
      Problems problems;
      checkSettings(kind->table(), done.next->settings, "", problems);
      CHECK(problems.list.empty());
      CHECK(done.next->settings != plan->ornament("o1")->settings);
      t.ornaments[0] = *done.next;
    }
    // What was painted reads back.
    const auto plan = t.plan();
    const auto cells = kind->cells({*plan->ornament("o1"), plan->context()});
    Pattern p = cells->pattern();
    p[0].level = 0;
    const Ornament with = cells->with(p);
    CHECK(kind->cells({with, plan->context()})->pattern()[0].level == 0);
    CHECK(cells->with(cells->pattern()).settings == plan->ornament("o1")->settings);
  }
}

TEST_CASE("patterns with names: those that ship, and one's own in open files", "[patterns]") {
  CHECK(shippedPatterns().size() >= 12);
  std::set<std::string> names;
  for (const NamedPattern& p : shippedPatterns()) {
    INFO(p.name);
    CHECK(names.insert(p.name).second);
    CHECK_FALSE(p.steps.empty());
    Problems problems;
    CHECK(parsePattern(patternText(p), problems) == p);
  }
  NamedPattern shoulders{"shoulders", Pattern(3)};
  shoulders.steps[1] = {.level = 0.5, .in = 40.0, .out = 0.0, .inBend = -0.25, .outBend = 1.0};
  Problems none;
  CHECK(parsePattern(patternText(shoulders), none) == shoulders);
  CHECK_FALSE(
      parsePattern(R"({"format": "ivrin-pattern", "version": 1, "name": "x", "steps": [{"fade_in_bend": 2}]})", none));
  REQUIRE(none.list.size() == 1);
  CHECK(none.list[0].place == "steps[0].fade_in_bend");
  TempFolder folder;
  std::string why;
  REQUIRE(keepPattern(folder / "patterns", {"Mine / 1", steps("x.x")}, why));
  REQUIRE(keepPattern(folder / "patterns", {"Mine ? 1", steps("x..")}, why)); // the same file name
  REQUIRE(keepPattern(folder / "patterns", {"Mine / 1", steps("xx.")}, why)); // in its own place
  REQUIRE(keepPattern(folder / "patterns", {"../../out", steps("x")}, why));
  std::ofstream(folder / "patterns/broken.json")
      << R"({"format": "ivrin-pattern", "version": 1, "name": "b", "steps": [{"level": 9}]})";
  Problems problems;
  const auto all = patternsIn(folder / "patterns", problems);
  REQUIRE(all.size() == 3);
  CHECK(all[0].name == "../../out");
  CHECK(all[1].name == "Mine / 1");
  CHECK(drawn(all[1].steps) == "xx.");
  CHECK(drawn(all[2].steps) == "x..");
  REQUIRE(problems.list.size() == 1);
  CHECK(problems.list[0].text() == "broken.json: steps[0].level: 9 is out of range, allowed is 0..4");
  CHECK_FALSE(std::filesystem::exists(folder / "out.json"));
}

TEST_CASE("what is no pattern file is refused by place", "[patterns]") {
  const auto first = [](std::string_view text) {
    Problems problems;
    CHECK_FALSE(parsePattern(text, problems));
    return problems.list.empty() ? std::string() : problems.list.front().text();
  };
  CHECK(first("{") != "");
  CHECK(first("[]") == "is not a pattern: its \"format\" is not \"ivrin-pattern\"");
  CHECK(first(R"({"format": "ivrin-pattern", "version": 2})") == "version: is not 1, the version this Ivrin reads");
  CHECK(first(R"({"format": "ivrin-pattern", "version": 1, "name": "a", "steps": []})") ==
        "steps: must be a list of 1 to 1024 cells");
  CHECK(first(R"({"format": "ivrin-pattern", "version": 1, "name": "", "steps": [{}]})") ==
        "name: must be a name of 1 to 200 bytes");
  CHECK(first(R"({"format": "ivrin-pattern", "version": 1, "name": "a", "steps": [{"x": 1}]})") ==
        "steps[0]: does not have a field “x”");
  CHECK(first(R"({"format": "ivrin-pattern", "version": 1, "name": "a", "steps": [{"reversed": 1}]})") ==
        "steps[0].reversed: must be true or false, not a number");
}
