#include "ornaments/kind.h"
#include "song/settings/setting_text.h"

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
  CHECK(parsed("high_cut_hz", "open").isNull());
  CHECK(parsed("low_cut_hz", "200 | open") == Value(List{Value(200.0), Value()}));
  CHECK(parsed("wet_db", "\u22126,5 dB") == Value(-6.5));
  CHECK(parsed("feedback_percent", "66%") == Value(66.0));
  CHECK(parsed("pattern", "ping") == Value("ping-pong"));
  CHECK(parsed("invert_right", "yes") == Value(true));
  CHECK(parsed("feedback_right_percent", "as left").isNull());
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

TEST_CASE("a number of which only some are allowed, and a curve over the span", "[settings]") {
  const TableSpec& halftime = allKinds().find("halftime")->table();
  const SettingSpec& slower = *halftime.find("slower");
  const TempoMap map;
  std::string why;
  CHECK(parseSetting(slower, "1.5", why) == Value(1.5));
  CHECK_FALSE(parseSetting(slower, "2.5", why));
  CHECK(why.find("none of 1.5, 2, 3, 4") != std::string::npos);
  CHECK(steppedSetting(slower, Value(1.5), 1, map, Beats(0)) == Value(2.0));
  CHECK(steppedSetting(slower, Value(3.0), 5, map, Beats(0)) == Value(4.0));
  CHECK(steppedSetting(slower, Value(2.0), -3, map, Beats(0)) == Value(1.5));
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
