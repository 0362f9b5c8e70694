// One thing, one word: what tables and sources say to the interface, the docs and the command line.
#include "finish/finisher.h"
#include "ornaments/kind.h"
#include "song/settings/setting_text.h"
#include "test_support/places.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <regex>
#include <sstream>

using namespace ivrin;
using namespace ivrin::test;

namespace {

/// The right column of docs/words.md, as one expression of whole words.
std::regex banned(std::size_t& phrases) {
  std::ifstream in(sourceFolder() / "docs/words.md");
  std::string all;
  for (std::string line; std::getline(in, line);) {
    const std::size_t first = line.find(" | ");
    if (!line.starts_with("| ") || first == std::string::npos || line.starts_with("| Say")) continue;
    std::istringstream cell(line.substr(first + 3, line.rfind(" |") - first - 3));
    for (std::string phrase; std::getline(cell, phrase, ',');) {
      phrase = std::regex_replace(phrase, std::regex("^ +| +$"), "");
      all += (all.empty() ? "" : "|") + phrase;
      ++phrases;
    }
  }
  return std::regex("\\b(" + all + ")\\b", std::regex::icase);
}

/// The string literals of a source, those over several lines joined, without comments.
std::vector<std::string> literalsOf(const std::string& source) {
  std::vector<std::string> all;
  std::size_t joined = std::string::npos; // where the last literal ended, while only white space follows it
  for (std::size_t i = 0; i < source.size(); ++i) {
    const char c = source[i];
    if (source.compare(i, 2, "//") == 0) {
      i = source.find('\n', i);
      if (i == std::string::npos) break;
    } else if (c == '\'' && i + 2 < source.size() && (source[i + 1] == '\\' || source[i + 2] == '\'')) {
      i = source.find('\'', i + (source[i + 1] == '\\' ? 3 : 2));
    } else if (c == '"') {
      std::string text;
      for (++i; i < source.size() && source[i] != '"'; ++i) {
        if (source[i] == '\\') text += source[i++];
        text += source[i];
      }
      if (joined != std::string::npos)
        all.back() += text;
      else
        all.push_back(text);
      joined = i;
      continue;
    }
    if (!std::isspace(static_cast<unsigned char>(c))) joined = std::string::npos;
  }
  return all;
}

} // namespace

TEST_CASE("what tables say is whole sentences", "[words]") {
  const Registry registry = allKinds().registry();
  std::vector<TableSpec> all = registry.kinds;
  all.insert(all.end(), registry.processors.begin(), registry.processors.end());
  std::size_t phrases = 0, n = 0;
  const std::regex never = banned(phrases);
  const auto sentence = [&](const std::string& text) {
    INFO(text);
    CHECK(std::isupper(static_cast<unsigned char>(text.front())));
    CHECK(text.back() == '.');
    CHECK(std::count(text.begin(), text.end(), ' ') >= 2);
    CHECK_FALSE(std::regex_search(text, never));
    ++n;
  };
  for (const TableSpec& t : all) {
    sentence(t.meaning);
    for (const SettingSpec& s : t.settings) {
      INFO(t.id << " " << s.key);
      sentence(s.meaning);
      CHECK_FALSE(std::regex_search(s.label, never));
      CHECK((s.shown.empty() || s.shown.size() == (s.choices.empty() ? 2 : s.choices.size())));
    }
  }
  CHECK(n > 170);
}

TEST_CASE("no text says what docs/words.md bans", "[words]") {
  std::size_t phrases = 0, texts = 0;
  const std::regex never = banned(phrases);
  CHECK(phrases > 100);
  const std::regex spaced("^[A-Z].*\\w \u2026$"); // "Open…", without a space
  for (const char* folder : {"app", "core", "cli", "devices"})
    for (const auto& e : std::filesystem::recursive_directory_iterator(sourceFolder() / folder)) {
      if (e.path().extension() != ".cpp" && e.path().extension() != ".h") continue;
      std::ifstream in(e.path());
      const std::string source{std::istreambuf_iterator<char>(in), {}};
      for (const std::string& text : literalsOf(source)) {
        if (text.find(' ') == std::string::npos) continue;
        ++texts;
        INFO(e.path().filename() << ": " << text);
        CHECK_FALSE(std::regex_search(text, never));
        CHECK_FALSE(std::regex_search(text, spaced));
      }
    }
  CHECK(texts > 1500);
  for (const char* file : {"README.md", "docs/keys.md", "docs/recipes.md"}) {
    std::ifstream in(sourceFolder() / file);
    for (std::string line; std::getline(in, line);) {
      INFO(file << ": " << line);
      CHECK_FALSE(std::regex_search(line, never));
    }
  }
}

TEST_CASE("a share is read and typed in percent, a choice by how it reads or by its word in the file", "[words]") {
  const TableSpec& tape = allKinds().find("tape")->table();
  const SettingSpec& halt = *tape.find("halt_at");
  CHECK(settingText(halt, Value(0.625)) == "62.5 %");
  std::string why;
  CHECK(parseSetting(halt, "40", why) == Value(0.4));
  CHECK(parseSetting(halt, "33.3 %", why) == Value(0.333));
  CHECK_FALSE(parseSetting(halt, "120", why));
  CHECK(why == "motion length: 120 % is out of range, allowed is 1 % to 100 %");
  CHECK(settingText(*tape.find("speed"), Value(-1.5)) == "\u2212150 %");
  const SettingSpec& path = *allKinds().find("reverse-reverb")->table().find("space");
  for (const std::string& file : path.choices) {
    CHECK(parseSetting(path, file, why) == Value(file));
    CHECK(parseSetting(path, settingText(path, Value(file)), why) == Value(file));
  }
  CHECK(settingText(path, Value("echo-reverb")) == "delay, then reverb");
  CHECK(parseSetting(path, "reverb, t", why) == Value("reverb-echo"));
  const SettingSpec& dry = *allKinds().find("delay-throw")->table().find("remove_dry");
  CHECK(settingText(dry, Value(true)) == "removed");
  CHECK(parseSetting(dry, "kept", why) == Value(false));
  CHECK(parseSetting(dry, "yes", why) == Value(true));
}
