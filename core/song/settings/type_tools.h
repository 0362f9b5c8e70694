// What the types of settings have in common.
#pragma once

#include "song/settings/setting_type.h"

#include <algorithm>
#include <cctype>
#include <cmath>

namespace ivrin {

inline std::string lower(std::string s) {
  for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return s;
}
inline std::string trimmed(std::string s) {
  const auto space = [](unsigned char c) { return std::isspace(c); };
  while (!s.empty() && space(static_cast<unsigned char>(s.back()))) s.pop_back();
  while (!s.empty() && space(static_cast<unsigned char>(s.front()))) s.erase(s.begin());
  return s;
}
template <class List> const auto& oneOf(const List& all, Draw draw) {
  return all[std::min(all.size() - 1, static_cast<std::size_t>(draw() * static_cast<double>(all.size())))];
}
/// In [min, max], its limits as often as not.
inline double anyNumber(double min, double max, Draw draw) {
  return draw() < 0.4 ? (draw() < 0.5 ? min : max) : min + (max - min) * draw();
}
/// `"a"`, `"b"`
inline std::string quotedChoices(const SettingSpec& s) {
  std::string text;
  for (std::size_t i = 0; i < s.choices.size(); ++i) text += (i ? ", `\"" : "`\"") + s.choices[i] + "\"`";
  return text;
}
/// " a | b"
inline std::string listedChoices(const SettingSpec& s) {
  std::string text;
  for (const auto& c : s.choices) text += (text.empty() ? " " : " | ") + c;
  return text;
}
/// One of a range: errors say what is allowed.
void checkNumber(const SettingSpec& s, double d, const std::string& place, Problems& problems);
/// "66 %", "7.0 kHz", "−6.0 dB".
std::string numberText(const SettingSpec& s, double d);
/// What one of a unit is called where that is another word ("beat"), in English; else empty.
std::string singularOf(const std::string& unit);
/// A number with what may follow it; "7k", "7 kHz", "1.2s", "−6 dB" (either minus sign). `alone` is the unit that a
/// bare number is meant in.
std::optional<double> parseNumber(const std::string& typed, const std::string& unit);

} // namespace ivrin
