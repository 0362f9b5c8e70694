// One thing, one word: what tables say to the interface, the docs and the command line.
#include "finish/finisher.h"
#include "ornaments/kind.h"
#include "song/settings/setting_text.h"

#include <catch2/catch.hpp>

#include <regex>

using namespace ivrin;

TEST_CASE("what tables say is whole sentences in the product's own words", "[words]") {
  const Registry registry = allKinds().registry();
  std::vector<TableSpec> all = registry.kinds;
  all.insert(all.end(), registry.processors.begin(), registry.processors.end());
  // bypass, gain, start and end, previous and next, source and selection, keep time.
  const std::regex never(
      "\\b(former|silence[sd]?|silencing|switch(es|ed)?|disabled?|begin(s|ning)?|begun|lock(ed)?|stretch(es)?)\\b",
      std::regex::icase);
  std::size_t n = 0;
  const auto sentence = [&](const std::string& text) {
    INFO(text);
    CHECK(std::isupper(static_cast<unsigned char>(text.front())));
    CHECK(text.back() == '.');
    CHECK(std::count(text.begin(), text.end(), ' ') >= 3);
    ++n;
  };
  const auto ours = [&](std::string text) {
    INFO(text);
    text = std::regex_replace(text, std::regex("Halftime stretch|nothing to silence"), "");
    CHECK_FALSE(std::regex_search(text, never));
  };
  for (const TableSpec& t : all) {
    sentence(t.meaning);
    ours(t.meaning);
    ours(t.name);
    for (const SettingSpec& s : t.settings) {
      sentence(s.meaning);
      ours(s.meaning);
      ours(s.label);
      CHECK((s.shown.empty() || s.shown.size() == (s.choices.empty() ? 2 : s.choices.size())));
    }
  }
  CHECK(n > 170);
}

TEST_CASE("a share is read and typed in percent, a choice by how it reads or by its word in the file", "[words]") {
  const TableSpec& tape = allKinds().find("tape")->table();
  const SettingSpec& halt = *tape.find("halt_at");
  CHECK(settingText(halt, Value(0.625)) == "62.5 %");
  std::string why;
  CHECK(parseSetting(halt, "40", why) == Value(0.4));
  CHECK(parseSetting(halt, "33.3 %", why) == Value(0.333));
  CHECK_FALSE(parseSetting(halt, "120", why));
  CHECK(why == "halt at: 120 % is out of range, allowed is 1 % to 100 %");
  CHECK(settingText(*tape.find("speed"), Value(-1.5)) == "\u2212150 %");
  const SettingSpec& path = *allKinds().find("reverse-reverb")->table().find("space");
  for (const std::string& file : path.choices) {
    CHECK(parseSetting(path, file, why) == Value(file));
    CHECK(parseSetting(path, settingText(path, Value(file)), why) == Value(file));
  }
  CHECK(settingText(path, Value("echo-reverb")) == "echo, then reverb");
  CHECK(parseSetting(path, "reverb, t", why) == Value("reverb-echo"));
  const SettingSpec& dry = *allKinds().find("delay-throw")->table().find("remove_dry");
  CHECK(settingText(dry, Value(true)) == "removed");
  CHECK(parseSetting(dry, "kept", why) == Value(false));
  CHECK(parseSetting(dry, "yes", why) == Value(true));
}
