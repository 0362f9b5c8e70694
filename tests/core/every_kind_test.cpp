// What must hold for every kind there is, and for every one that will be.
#include "test_support/any_settings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <set>

using namespace ivrin;
using namespace ivrin::test;

namespace {

Signal materialOf(int i) {
  return i % 4 == 0   ? square(300, 48000, 1)
         : i % 4 == 1 ? Signal([](std::int64_t, int) { return 1.0f; })
         : i % 4 == 2 ? noise(static_cast<std::uint64_t>(i), 1)
                      : impulseAt(30000);
}

} // namespace

TEST_CASE("no legal settings of any kind bring NaN, infinity or unbounded sound", "[kinds][slow]") {
  Chance chance(7);
  for (const Kind* kind : allKinds().all())
    for (int i = 0; i < tries(24); ++i) {
      TestSong t(i % 3 == 0 ? 44100 : 48000, 60 + 140 * chance.unit());
      t.stem("v", 72000, materialOf(i));
      Settings s = anySettings(kind->table(), chance);
      if (kind->table().find("cut_at")) s["cut_at"] = 10.0;
      if (kind->table().find("lead_beats")) s["lead_beats"] = 1 + 7 * chance.unit();
      t.ornament(kind->table().id, "v", 0.5 * (i % 3), 1, s);
      const auto plan = t.plan();
      const auto node = plan->node("o1");
      INFO(kind->table().id << " " << i << " " << compactJson(Value(Object(s.begin(), s.end()))));
      if (!node->print) continue;
      const StereoBuffer p = printOf(*plan, "o1");
      CHECK(std::isfinite(largest(p)));
      // The most that a gain of the table gives (12 dB), and 6 dB for what sums; its wet gain comes on top.
      const double wet = kind->table().find("wet_db") ? *settingOr(kind->table(), s, "wet_db").number() : 0;
      CHECK(largest(p) <= 8 * std::max(1.0, Decibels(wet).gain()));
      CHECK(p.frames() <= node->plan.extent.length());
    }
}

TEST_CASE("outside its extent a row is untouched by any kind, bit for bit", "[kinds]") {
  for (const Kind* kind : allKinds().all()) {
    TestSong t;
    t.stem("v", 48000 * 6, noise(11, 0.3));
    t.ornament(kind->table().id, "v", 6, 1,
               kind->table().find("lead_beats")       ? Settings{{"lead_beats", 2.0}}
               : kind->table().find("chance_percent") ? Settings{{"chance_percent", List{100.0}}} // 0 does nothing
                                                      : Settings{})
        .finish = {{"gain", {{"db", -3.0}}}};
    const auto plan = t.plan();
    const StereoBuffer row = rowOut(*plan, "v", 0, 48000 * 6), dry = fill(48000 * 6, noise(11, 0.3));
    const FrameRange extent = plan->node("o1")->extent();
    INFO(kind->table().id);
    std::int64_t changed = 0;
    for (std::int64_t f = 0; f < 48000 * 6; ++f) {
      const bool same = row.left()[f] == dry.left()[f] && row.right()[f] == dry.right()[f];
      if (!extent.contains(Frames(f))) REQUIRE(same);
      changed += same ? 0 : 1;
    }
    CHECK(changed > 1000);
  }
}

TEST_CASE("any kind gives the same samples from any block on and however often it is rendered", "[kinds][render]") {
  for (const Kind* kind : allKinds().all()) {
    TestSong t;
    t.stem("v", 48000 * 6, noise(12, 0.3));
    t.ornament(kind->table().id, "v", 4, 1);
    const auto whole = rowOut(*t.plan(), "v", 0, 48000 * 5);
    TestSong again;
    again.stem("v", 48000 * 6, noise(12, 0.3));
    again.ornament(kind->table().id, "v", 4, 1);
    const auto plan = again.plan();
    INFO(kind->table().id);
    for (const std::int64_t from : {150000, 30000, 97001, 0}) { // backwards and at odd places
      const auto part = rowOut(*plan, "v", from, 20000);
      for (std::int64_t i = 0; i < 20000; i += 3) REQUIRE(part.left()[i] == whole.left()[from + i]);
    }
  }
}

TEST_CASE("every kind and every setting says what it is, and no two share a key", "[kinds]") {
  std::set<std::string> keys;
  for (const Kind* kind : allKinds().all()) {
    const TableSpec& t = kind->table();
    INFO(t.id);
    CHECK(keys.insert(t.key).second);
    CHECK_FALSE(t.meaning.empty());
    for (const SettingSpec& s : t.settings) {
      INFO(s.key);
      CHECK_FALSE(s.label.empty());
      CHECK_FALSE(s.meaning.empty());
      CHECK_FALSE(s.group.empty());
      Problems problems;
      checkSetting(s, s.initial, s.key, problems);
      CHECK_FALSE(problems.hasErrors());
    }
  }
}
