#include "finish/finisher.h"
#include "ornaments/kind.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"

#include "time/plain_number.h"

#include <catch2/catch.hpp>

using namespace ivrin;

namespace {

const SettingSpec& spec(const char* key) {
  return *allKinds().find("delay-throw")->table().find(key);
}

Value parsed(const char* key, const std::string& typed) {
  std::string why;
  const auto v = parseSetting(spec(key), typed, why);
  INFO(key << " " << typed << ": " << why);
  REQUIRE(v);
  return *v;
}

bool refused(const char* key, const std::string& typed) {
  std::string why;
  const bool no = !parseSetting(spec(key), typed, why);
  return no && !why.empty();
}

} // namespace

TEST_CASE("what is counted in beats may be typed in seconds, bars and note values", "[settings]") {
  SettingSpec lead{.key = "lead", .label = "lead-in", .unit = "beats", .type = type::number, .min = 0.0625, .max = 64};
  const TempoMap map({{Beats(0), 120}, {Beats::ofQuarters(12), 90}}, {{Beats(0), 3, 4}}, Seconds(0), 48000);
  const auto typed = [&](const char* text, double at) {
    std::string why;
    const auto v = parseSettingAt(lead, text, map, Beats::ofQuarters(at), why);
    return v ? *v->number() : -1;
  };
  CHECK(typed("8 s", 0) == Approx(16));
  CHECK(typed("8s", 20) == Approx(12)); // at the tempo there
  CHECK(typed("500 ms", 0) == Approx(1));
  CHECK(typed("2 bars", 0) == Approx(6));
  CHECK(typed("1 bar", 0) == Approx(3));
  CHECK(typed("1.5 bars", 0) == Approx(4.5));
  CHECK(typed("1/8.", 0) == Approx(0.75));
  CHECK(typed("4", 0) == Approx(4));
  CHECK(typed("4 beats", 0) == Approx(4));
  CHECK(settingText(lead, Value(1.0)) == "1 beat");
  CHECK(settingText(lead, Value(1.5)) == "1.5 beats");
  CHECK(typed("100 s", 0) == -1); // out of range, said as the number it is
  CHECK(typed("x s", 0) == -1);
}

TEST_CASE("what people type becomes a value with the right unit", "[settings]") {
  CHECK(parsed("time_left", "1/8.") == Value("1/8."));
  CHECK(parsed("time_left", "430ms") == Value(430.0));
  CHECK(parsed("time_left", "0.43 s") == Value(430.0));
  CHECK(parsed("time_left", "2 bars") == Value("2 bars"));
  CHECK(parsed("high_cut_hz", "7k") == Value(7000.0));
  CHECK(parsed("high_cut_hz", "7.5 kHz") == Value(7500.0));
  CHECK(parsed("high_cut_hz", "off").isNull());
  CHECK(parsed("low_cut_hz", "200 | off") == Value(List{Value(200.0), Value()}));
  CHECK(parsed("wet_db", "\u22126,5 dB") == Value(-6.5));
  CHECK(parsed("feedback_percent", "66%") == Value(66.0));
  CHECK(parsed("pattern", "ping") == Value("ping-pong"));
  CHECK(parsed("invert_right", "yes") == Value(true));
  CHECK(parsed("feedback_right_percent", "same as left").isNull());
}

TEST_CASE("note values, sides and notes are typed as musicians write them", "[settings]") {
  const TempoMap map({{Beats(0), 120}}, {{Beats(0), 3, 4}}, Seconds(0), 48000);
  const SettingSpec& time = spec("time_left");
  const SettingSpec& pan = *findFinisher("pan")->table().find("position");
  const SettingSpec& note = *allKinds().find("riser")->table().find("tone_note");
  const SettingSpec rate{.key = "rate", .label = "rate", .type = type::rate, .min = 0.01, .max = 20};
  struct Case {
    const SettingSpec& spec;
    const char* typed;
    Value kept;
    const char* read;
    int version = 1;
  };
  const std::vector<Case> cases{{time, "3/16", "1/8.", "1/8."},
                                {time, "1/8d", "1/8.", "1/8."},
                                {time, "1/8 D", "1/8.", "1/8."},
                                {time, "1/16T", "1/16t", "1/16t"},
                                {time, "2/8", "1/4", "1/4"},
                                {time, "0,75 beats", "1/8.", "1/8."},
                                {time, "1 beat", "1/4", "1/4"},
                                {time, "5/16", "5/16", "5/16", 3},
                                {time, "0.3 beats", "0.3 beats", "0.3 beats", 3},
                                {time, "2 bars", "2 bars", "2 bars"},
                                {time, "1.5 bars", "9/8", "9/8", 3},
                                {time, "180 ms", 180.0, "180 ms"},
                                {time, "0.18 s", 180.0, "180 ms"},
                                {time, "3 Hz", 333.3333, "333.33 ms"},
                                {rate, "180 ms", 5.5556, "5.56 Hz"},
                                {pan, "L 45", -0.45, "L 45"},
                                {pan, "r100", 1.0, "R 100"},
                                {pan, "12.5 left", -0.125, "L 12.5"},
                                {pan, "-30", -0.3, "L 30"},
                                {pan, "C", 0.0, "C"},
                                {note, "A3", 57.0, "A3"},
                                {note, "f#2", 42.0, "F♯2"},
                                {note, "Bb-1", 10.0, "B♭−1"},
                                {note, "60", 60.0, "C4"}};
  for (const Case& c : cases) {
    std::string why;
    const auto v = parseSettingAt(c.spec, c.typed, map, Beats(0), why);
    INFO(c.typed << ": " << why);
    REQUIRE(v);
    CHECK(*v == c.kept);
    CHECK(settingText(c.spec, *v) == c.read);
    CHECK(c.spec.sinceWith(*v) == c.version);
    const auto again = parseSettingAt(c.spec, c.read, map, Beats(0), why);
    if (*v != Value(333.3333) && *v != Value(5.5556)) CHECK(again == v); // these are read rounded
  }
  for (const auto& [s, wrong] : std::vector<std::pair<const SettingSpec*, const char*>>{{&time, "5/7"},
                                                                                        {&time, "65/64"},
                                                                                        {&time, "5/16."},
                                                                                        {&time, "64/1"}, // 85 bars
                                                                                        {&time, "0.001 beats"},
                                                                                        {&time, "2 5 beats"},
                                                                                        {&time, "aeleratn"},
                                                                                        {&time, "0 Hz"},
                                                                                        {&pan, "L 101"},
                                                                                        {&pan, "L -5"},
                                                                                        {&note, "H2"},
                                                                                        {&note, "A12"}}) {
    std::string why;
    INFO(wrong);
    CHECK_FALSE(parseSettingAt(*s, wrong, map, Beats(0), why));
    CHECK_FALSE(why.empty());
  }
  CHECK(NoteValue::parse("5/16")->beats(map, Beats(0))->quarters() == 1.25);
  CHECK(NoteValue::parse("0.3 beats")->seconds(map, Beats(0)).value == Approx(0.15));
  for (const Kind* k : allKinds().all()) // an example can be typed
    for (const SettingSpec& s : k->table().settings) {
      std::string why;
      const std::string example = settingExample(s), first = example.substr(0, example.find(", "));
      INFO(k->table().id << "." << s.key << ": " << example);
      if (!example.empty()) CHECK(parseSettingAt(s, s.shape == Shape::one ? first : example, map, Beats(0), why));
    }
}

TEST_CASE("what is no value, or out of range, cannot be entered", "[settings]") {
  CHECK(refused("feedback_percent", "201"));
  CHECK(refused("feedback_percent", "-1"));
  CHECK(refused("feedback_percent", "much"));
  CHECK(refused("feedback_percent", "12 Hz"));
  CHECK(refused("time_left", "1/7"));
  CHECK(refused("time_left", "0ms"));
  CHECK(refused("pattern", "p-q"));
  CHECK(refused("low_cut_hz", "10"));
  CHECK(refused("feedback_percent", "nan"));
  CHECK(refused("feedback_percent", "")); // not nullable
}

TEST_CASE("text and typing agree: what is shown can be typed back", "[settings]") {
  for (const Kind* k : allKinds().all())
    for (const SettingSpec& s : k->table().settings) {
      std::string why;
      const auto v = parseSetting(s, settingText(s, s.initial), why);
      INFO(k->table().id << "." << s.key << ": " << settingText(s, s.initial) << " " << why);
      REQUIRE(v);
      CHECK(*v == s.initial);
    }
}

TEST_CASE("stepping stays in range, walks note values, and can be undone by stepping back", "[settings]") {
  const TempoMap map({{Beats(0), 104}}, {{}}, Seconds(0), 48000);
  const auto step = [&](const char* key, Value v, int n) { return steppedSetting(spec(key), v, n, map, Beats(0)); };
  CHECK(step("time_left", "1/8", 1) == Value("1/4t"));
  CHECK(step("time_left", "1/8", -1) == Value("1/16."));
  CHECK(step("time_left", 430.0, 1) == Value("1/8.")); // 432.7 ms is the next one up
  CHECK(step("time_left", 430.0, -1) == Value("1/4t"));
  CHECK(step("feedback_percent", 199.5, 3) == Value(200.0));
  CHECK(step("feedback_percent", 45.0, -7) == Value(38.0));
  CHECK(step("pattern", "straight", 4) == Value("ping-pong"));
  CHECK(step("pattern", "straight", -1) == Value("cross"));
  CHECK(step("invert_right", false, 1) == Value(true));
  CHECK(step("invert_right", false, 2) == Value(false));
  CHECK(step("low_cut_hz", 200.0, 12) == Value(400.0)); // twelve semitones
  const Value curve = List{Value(List{Value(0.0), Value(20.0)}), Value(List{Value(2.0), Value(198.0)})};
  CHECK(step("feedback_percent", curve, 5) ==
        Value(List{Value(List{Value(0.0), Value(25.0)}), Value(List{Value(2.0), Value(200.0)})}));
  for (const Kind* k : allKinds().all())
    for (const SettingSpec& s : k->table().settings)
      for (const int n : {-100, -1, 1, 100}) { // always a legal value
        Problems p;
        checkSetting(s, steppedSetting(s, s.initial, n, map, Beats(0)), s.key, p);
        INFO(s.key << " " << n);
        CHECK_FALSE(p.hasErrors());
      }
}

TEST_CASE("a number that is stepped through stops, newer between them, and a curve over the span", "[settings]") {
  const TableSpec& halftime = allKinds().find("halftime")->table();
  const SettingSpec& slower = *halftime.find("slower");
  const TempoMap map;
  std::string why;
  CHECK(parseSetting(slower, "1.5", why) == Value(1.5));
  CHECK(parseSetting(slower, "2.37", why) == Value(2.37));
  CHECK_FALSE(parseSetting(slower, "9", why));
  CHECK(slower.sinceWith(Value(3.0)) == 1);
  CHECK(slower.sinceWith(Value(2.37)) == 3);
  CHECK(steppedSetting(slower, Value(1.5), 1, map, Beats(0)) == Value(2.0));
  CHECK(steppedSetting(slower, Value(3.0), 5, map, Beats(0)) == Value(8.0));
  CHECK(steppedSetting(slower, Value(2.0), -3, map, Beats(0)) == Value(1.1));
  CHECK(steppedSetting(slower, Value(2.37), 1, map, Beats(0)) == Value(2.5));
  CHECK(steppedSetting(slower, Value(2.37), -1, map, Beats(0)) == Value(2.0));
  const SettingSpec& speed = *allKinds().find("tape")->table().find("speed");
  Problems fine, wrong;
  checkSetting(speed, List{List{0.0, 1.0}, List{1.0, -2.0, 0.5}}, "speed", fine);
  CHECK(fine.list.empty());
  checkSetting(speed, List{List{0.0, 1.0}, List{1.5, 0.0}}, "speed", wrong);
  REQUIRE(wrong.list.size() == 1);
  CHECK(wrong.list[0].text().find("0..1 over the span") != std::string::npos);
}

TEST_CASE("a number is read with a point or a comma, and written with a point", "[settings]") {
  for (const char* text : {"2.5", "2,5", "+2.5", " 2.5 ", "2.5 dB", "2,5dB", "25e-1"}) {
    INFO(text);
    std::string why;
    const SettingSpec gain{.key = "gain_db", .label = "gain", .unit = "dB", .min = -60, .max = 12};
    const auto v = parseSetting(gain, text, why);
    REQUIRE(v);
    CHECK(*v->number() == 2.5);
  }
  for (const char* text : {"", "+", "-", ".", ",", "2.5.1", "2,5,1", "nan", "inf", "1e999", "+-2", "0x10", "2 5"}) {
    INFO(text);
    std::string why;
    const SettingSpec gain{.key = "gain_db", .label = "gain", .unit = "dB", .min = -60, .max = 12};
    CHECK_FALSE(parseSetting(gain, text, why));
  }
  CHECK(fixedNumber(-2.55, 1) == "-2.5"); // 2.5499999…
  CHECK(fixedNumber(1e20, 1) == "100000000000000000000.0");
  CHECK(roundNumber(1.0 / 3, 4) == "0.3333");
  CHECK(roundNumber(430.5, 10) == "430.5");
  CHECK(readNumber("12abc").value == 12);
  CHECK(readNumber("12abc").rest == "abc");
  CHECK(readNumber("abc").rest == "abc");
}
