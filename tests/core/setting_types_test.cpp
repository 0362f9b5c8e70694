// Every type of setting, in every shape: checked, said, typed, stepped, drawn by chance.
#include "audio/chance.h"
#include "finish/finisher.h"
#include "manners/manners.h"
#include "ornaments/kind.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"

#include <catch2/catch.hpp>

using namespace ivrin;

namespace {

std::string problemOf(const SettingSpec& s, const Value& v) {
  Problems p;
  checkSetting(s, v, "here", p);
  return p.list.empty() ? "" : p.list.front().text();
}

Value typed(const SettingSpec& s, const std::string& text) {
  std::string why;
  const auto v = parseSetting(s, text, why);
  return v ? *v : Value("refused: " + why);
}

const SettingSpec kLevels{
    .key = "levels", .label = "levels", .min = 0, .max = 1, .step = 0.25, .shape = Shape::list, .most = 4};
const SettingSpec kGains{.key = "gains_db",
                         .label = "gains",
                         .unit = "dB",
                         .min = -60,
                         .max = 12,
                         .shape = Shape::list,
                         .entriesNullable = true,
                         .nullable = true,
                         .whenNull = "even"};
const SettingSpec kPitch{.key = "pitch", .label = "pitch", .unit = "st", .min = -48, .max = 48, .shape = Shape::pair};
const SettingSpec kTremolo{.key = "tremolo",
                           .label = "tremolo",
                           .type = type::time,
                           .min = 1,
                           .max = 4000,
                           .shape = Shape::pair,
                           .nullable = true,
                           .whenNull = "off"};
const SettingSpec kOrder{
    .key = "order", .label = "order", .type = type::integer, .min = 1, .max = 64, .shape = Shape::list};
const SettingSpec kReversed{.key = "reversed", .label = "reversed", .type = type::yesNo, .shape = Shape::list};
const SettingSpec kRuns{
    .key = "pattern", .label = "pattern", .type = type::pattern, .nullable = true, .whenNull = "even steps"};

} // namespace

TEST_CASE("lists, pairs and patterns are checked entry by entry, with the place of what is wrong", "[song][settings]") {
  CHECK(problemOf(kLevels, List{1.0, 0.5}).empty());
  CHECK(problemOf(kLevels, 0.5).find("list of 1 to 4") != std::string::npos);
  CHECK(problemOf(kLevels, List{}).find("list of 1 to 4") != std::string::npos);
  CHECK(problemOf(kLevels, List{0.1, 0.2, 0.3, 0.4, 0.5}).find("list of 1 to 4") != std::string::npos);
  CHECK(problemOf(kLevels, List{1.0, 1.5}).find("here[1]") != std::string::npos);
  CHECK(problemOf(kLevels, List{1.0, Value()}).find("here[1]") != std::string::npos);
  CHECK(problemOf(kGains, List{0.0, Value(), -6.0}).empty());
  CHECK(problemOf(kGains, Value()).empty());
  CHECK(problemOf(kPitch, List{-12.0, 12.0}).empty());
  CHECK(problemOf(kPitch, List{-12.0}).find("[from, to]") != std::string::npos);
  CHECK(problemOf(kTremolo, List{"1/4", "1/32"}).empty());
  CHECK(problemOf(kTremolo, List{"1/4", "1/33"}).find("here[1]") != std::string::npos);
  CHECK(problemOf(kOrder, List{3.0, 1.0}).empty());
  CHECK(problemOf(kOrder, List{3.0, 1.5}).find("whole number") != std::string::npos);
  CHECK(problemOf(kReversed, List{true, false}).empty());
  CHECK(problemOf(kReversed, List{true, 1.0}).find("here[1]") != std::string::npos);
  CHECK(problemOf(kRuns, List{List{"1/8", 2.0}, List{"1/16", 4.0}}).empty());
  CHECK(problemOf(kRuns, List{List{"1/8", 2.0}, List{"1/16", 65.0}}).find("here[1][1]") != std::string::npos);
  CHECK(problemOf(kRuns, List{List{"1/8"}}).find("[note value, count]") != std::string::npos);
}

TEST_CASE("lists, pairs and patterns read as they are typed", "[song][settings]") {
  CHECK(settingText(kLevels, List{1.0, 0.5, 0.0}) == "1, 0.5, 0");
  CHECK(typed(kLevels, "1, 0.5, 0") == Value(List{1.0, 0.5, 0.0}));
  CHECK(typed(kLevels, "1, 2").text()->find("out of range") != std::string::npos);
  CHECK(settingText(kGains, List{0.0, Value(), -6.0}) == "0.0, –, −6.0 dB");
  CHECK(typed(kGains, "0, -, -6 dB") == Value(List{0.0, Value(), -6.0}));
  CHECK(typed(kGains, "even") == Value());
  CHECK(settingText(kGains, List{0.0, 0.0, 0.0, 0.0, 0.0, 0.0}).ends_with("… 6"));
  CHECK(settingText(kPitch, List{-12.0, 12.0}) == "−12 to 12 st");
  CHECK(typed(kPitch, "-12 to 12") == Value(List{-12.0, 12.0}));
  CHECK(typed(kPitch, "−12 st to 12 st") == Value(List{-12.0, 12.0}));
  CHECK(typed(kTremolo, "1/4 to 1/32") == Value(List{"1/4", "1/32"}));
  CHECK(settingText(kRuns, List{List{"1/8", 2.0}, List{"1/16", 4.0}}) == "2 × 1/8, 4 × 1/16");
  CHECK(typed(kRuns, "2 × 1/8, 4x1/16, 1/32") == Value(List{List{"1/8", 2.0}, List{"1/16", 4.0}, List{"1/32", 1.0}}));
  CHECK(typed(kReversed, "yes, no, y") == Value(List{true, false, true}));
}

TEST_CASE("every entry of a list, and both of a pair, are stepped together", "[song][settings]") {
  const TempoMap map;
  CHECK(steppedSetting(kLevels, List{0.5, 0.9}, 1, map, Beats(0)) == Value(List{0.75, 1.0}));
  CHECK(steppedSetting(kGains, List{0.0, Value()}, -2, map, Beats(0)) == Value(List{-2.0, Value()}));
  CHECK(steppedSetting(kPitch, List{-12.0, 12.0}, 1, map, Beats(0)) == Value(List{-11.0, 13.0}));
  CHECK(steppedSetting(kRuns, List{List{"1/8", 2.0}}, 1, map, Beats(0)) != Value(List{List{"1/8", 2.0}}));
  // What is open opens towards where it is heard.
  const SettingSpec low{
      .key = "low_cut_hz", .unit = "Hz", .min = 20, .max = 20000, .nullable = true, .fromNull = std::pair(20.0, 80.0)};
  CHECK(steppedSetting(low, Value(), 1, map, Beats(0)) == Value(80.0));
  CHECK(steppedSetting(low, Value(), -1, map, Beats(0)) == Value(20.0));
}

TEST_CASE("values by chance are legal, and musical neighbours stay near", "[song][settings]") {
  Chance chance(3);
  const auto draw = [&chance] { return chance.unit(); };
  const TempoMap map;
  std::vector<SettingSpec> all{kLevels, kGains, kPitch, kTremolo, kOrder, kReversed, kRuns};
  for (const Kind* k : allKinds().all()) all.insert(all.end(), k->table().settings.begin(), k->table().settings.end());
  for (const Finisher* f : allFinishers())
    all.insert(all.end(), f->table().settings.begin(), f->table().settings.end());
  int varied = 0;
  for (const SettingSpec& s : all)
    for (int i = 0; i < 40; ++i) {
      const auto v = anySetting(s, draw);
      if (!v) continue;
      INFO(s.key << " " << compactJson(*v));
      REQUIRE(problemOf(s, *v).empty());
      CHECK_FALSE(settingText(s, *v).empty());
      REQUIRE(problemOf(s, steppedSetting(s, *v, 3, map, Beats(0))).empty());
      const auto near = variedSetting(s, *v, draw, map, Beats(0));
      if (!near) continue;
      ++varied;
      INFO("near " << compactJson(*near));
      REQUIRE(problemOf(s, *near).empty());
      if (s.shape == Shape::one && near->number() && v->number() && s.type == type::number && s.unit != "Hz" &&
          s.stops.empty())
        CHECK(std::abs(*near->number() - *v->number()) <= (s.max - s.min) / 4 + 1.001 * s.step);
    }
  CHECK(varied > 2000);
}

TEST_CASE("what a setting is for is said by its role and its type, not by its name", "[song][settings]") {
  for (const Kind* k : allKinds().all())
    for (const SettingSpec& s : k->table().settings) {
      INFO(k->table().id << " " << s.key);
      CHECK(namesFile(s.key) == (s.type == type::file));
      CHECK(s.since >= 1);
      CHECK(s.since <= kSongVersion); // of this version of the file
    }
  const TableSpec& swell = allKinds().find("reverse-reverb")->table();
  CHECK(swell.withRole(Role::lead)->key == "lead_beats");
  CHECK(swell.withRole(Role::decay)->key == "decay_seconds");
  CHECK(swell.withRole(Role::duck) == nullptr);
  CHECK(allKinds().find("delay-throw")->table().withRole(Role::tailCut)->key == "cut_at");
}

TEST_CASE("every kind has its manners, in the order of the kinds", "[kinds][manners]") {
  REQUIRE(allManners().size() == allKinds().all().size());
  for (std::size_t i = 0; i < allManners().size(); ++i) {
    const Kind& kind = *allKinds().all()[i];
    const Manners& manners = *allManners()[i];
    CHECK(manners.kind() == kind.table().id);
    CHECK(mannersOf(kind.table().id) == &manners);
    // At the defaults something is heard of most settings, and the question can be asked about every one.
    int heard = 0;
    for (const SettingSpec& s : kind.table().settings) heard += manners.isHeard({}, s.key);
    CHECK(heard >= static_cast<int>(kind.table().settings.size() + 1) / 2);
  }
  CHECK(mannersOf("no-such-kind") == nullptr);
}
