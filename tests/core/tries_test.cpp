// Four tries: bounded, different, the same each time.
#include "audio/chance.h"
#include "files/json.h"
#include "manners/tries.h"
#include "song/edits.h"
#include "song/history.h"

#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

TEST_CASE("chance is the same for the same seed, even, and never reaches its end", "[tries]") {
  Chance a(5), b(5), other(6);
  constexpr int kDraws = 40000;
  int counts[8] = {}, differ = 0;
  double sum = 0;
  for (int i = 0; i < kDraws; ++i) {
    const double u = a.unit();
    REQUIRE(u == b.unit());
    REQUIRE(u >= 0);
    REQUIRE(u < 1);
    differ += u != other.unit();
    sum += u;
    ++counts[Chance(static_cast<std::uint64_t>(i)).below(8)];
  }
  CHECK(differ == kDraws);
  CHECK(sum / kDraws == Approx(0.5).margin(0.006));                      // four times the spread of such a mean
  for (const int n : counts) CHECK(n == Approx(kDraws / 8).margin(265)); // the same for a share of an eighth
}

TEST_CASE("four tries of every kind are legal, bounded, different and repeatable", "[tries]") {
  const TempoMap map({{Beats(0), 104}}, {{Beats(0), 4, 4}}, Seconds(0), 48000);
  for (const Kind* kind : allKinds().all()) {
    Ornament o;
    o.id = "o1";
    o.kind = kind->table().id;
    o.on = "v";
    o.start = Beats::ofQuarters(8);
    o.length = Beats::ofQuarters(2);
    for (int round = 0; round < 5; ++round) {
      const auto tries = fourTries(*kind, o, map, round);
      CHECK(tries == fourTries(*kind, o, map, round));
      for (std::size_t k = 0; k < tries.size(); ++k) {
        const Ornament& t = tries[k];
        INFO(o.kind << " round " << round << " try " << k);
        Problems problems;
        checkSettings(kind->table(), t.settings, "settings", problems);
        CHECK(problems.list.empty());
        CHECK(t.start == o.start);
        CHECK(t.length == o.length);
        CHECK(t.gainDb == o.gainDb);
        int changed = 0;
        for (const auto& [key, value] : t.settings) {
          const SettingSpec& spec = *kind->table().find(key);
          const Value& was = settingOr(kind->table(), o.settings, key);
          changed += value == was ? 0 : 1;
          CHECK(key != "land");
          CHECK(key != "remove_dry");
          CHECK(key != "wet_db");
          if (value.number() && was.number() && spec.unit != "Hz" && spec.stops.empty() && spec.type == type::number)
            CHECK(std::abs(*value.number() - *was.number()) <= (spec.max - spec.min) / 4 + 1.001 * spec.step);
          if (key.starts_with("feedback") && value.number()) CHECK(*value.number() <= 85);
        }
        CHECK(changed <= 4);
        for (std::size_t j = 0; j < k; ++j) CHECK(!(tries[j] == t));
        CHECK(!(t == o));
      }
    }
  }
}

TEST_CASE("tries of what cuts time change the pattern, each another, and all of them sound", "[tries]") {
  for (const char* kind : {"stutter", "pulse", "glitch"}) {
    INFO(kind);
    TestSong t(48000, 104);
    t.stem("v", 4 * 48000, noise(1, 0.3));
    t.ornament(kind, "v", 0, 4,
               kind == std::string("glitch") ? Settings{{"chance_percent", List{0.0, 35.0, 35.0, 35.0}}} : Settings{});
    const auto plan = t.plan();
    const Ornament& o = *plan->ornament("o1");
    const Kind& k = *allKinds().find(kind);
    const auto patternOf = [&](const Ornament& one) { return k.cells({one, plan->context()})->pattern(); };
    for (int round = 0; round < 5; ++round) {
      const auto tries = fourTries(k, o, plan->map(), round);
      CHECK(tries == fourTries(k, o, plan->map(), round));
      int others = 0;
      for (const Ornament& one : tries) {
        Problems problems;
        checkSettings(k.table(), one.settings, "", problems);
        CHECK(problems.list.empty());
        others += patternOf(one) != patternOf(o) ? 1 : 0;
        CHECK(sounding(patternOf(one)) > 0);
        for (const Ornament& other : tries) CHECK((&one == &other || one.settings != other.settings));
      }
      CHECK(others >= 3);
    }
  }
}

TEST_CASE("tries keep what was set by hand, and silent cells silent", "[tries]") {
  for (const Kind* kind : allKinds().all()) {
    if (!kind->cuts()) continue;
    INFO(kind->table().id);
    TestSong t(48000, 104);
    t.stem("v", 8 * 48000, noise(1, 0.3));
    t.ornament(kind->table().id, "v", 1, 6, {});
    const auto plan = t.plan();
    const auto cellsOf = [&](const Ornament& one) { return kind->cells({one, plan->context()}); };
    Chance chance(3);
    for (int round = 0; round < 20; ++round) {
      const auto whole = cellsOf(*plan->ornament("o1"));
      Pattern p(static_cast<std::size_t>(3 + round % 6), PatternStep{});
      for (PatternStep& s : p) s.level = chance.unit() < 0.4 ? 0 : 0.9;
      p.back().level = 0.8;
      const Ornament o = whole->with(p);
      const auto was = cellsOf(o);
      const std::set<std::string> byHand = {"step", "time", "gate_percent"};
      for (const Ornament& one : fourTries(*kind, o, plan->map(), round, byHand)) {
        const auto is = cellsOf(one);
        const Pattern before = was->pattern(), now = is->pattern();
        int silent = 0;
        for (std::int64_t k = is->first(); k < is->end(); ++k) {
          const std::int64_t there = was->at(is->frames(k).begin + Frames(is->frames(k).length() / 2));
          if (before[was->place(there, before.size())].sounds()) continue;
          ++silent;
          CHECK_FALSE(now[is->place(k, now.size())].sounds());
        }
        CHECK(sounding(now) > 0);
        for (const std::string& key : byHand)
          if (kind->table().find(key))
            CHECK(settingOr(kind->table(), one.settings, key) == settingOr(kind->table(), o.settings, key));
      }
    }
  }
  // Numbers of a throw that were typed; none is left to chance but the others.
  Ornament o;
  o.kind = "delay-throw";
  o.on = "v";
  o.length = Beats::ofQuarters(2);
  o.settings = {{"feedback_percent", 61.0}, {"time_left", "1/8."}};
  const TempoMap map({{Beats(0), 104}}, {{Beats(0), 4, 4}}, Seconds(0), 48000);
  for (int round = 0; round < 10; ++round)
    for (const Ornament& one :
         fourTries(*allKinds().find("delay-throw"), o, map, round, {"feedback_percent", "time_left"})) {
      CHECK(one.settings.at("feedback_percent") == Value(61.0));
      CHECK(one.settings.at("time_left") == Value("1/8."));
      CHECK_FALSE(one.settings == o.settings);
    }
}

TEST_CASE("what was set by hand is what steps have changed, but for tries", "[tries]") {
  Song s;
  Ornament o;
  o.id = "o1";
  s.ornaments.push_back(o);
  History h{Song()};
  h.edit("place", "", s);
  const auto set = [&](const char* key, double v, const char* merge) {
    Song next = withSetting(h.song(), "o1", key, v);
    h.edit(key, merge, next);
  };
  set("a", 1, "drag");
  set("b", 2, "tries-o1");
  h.settle();
  set("c", 3, "");
  CHECK(h.settingsChanged("o1", "tries-") == std::set<std::string>{"a", "c"});
  CHECK(h.settingsChanged("other", "tries-").empty());
  h.undo();
  CHECK(h.settingsChanged("o1", "tries-") == std::set<std::string>{"a"});
}
