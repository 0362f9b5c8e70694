#include "song/setting_text.h"

#include "song/curve.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace ivrin {
namespace {

std::string trimmed(std::string s) {
  const auto space = [](unsigned char c) { return std::isspace(c); };
  while (!s.empty() && space(static_cast<unsigned char>(s.back()))) s.pop_back();
  while (!s.empty() && space(static_cast<unsigned char>(s.front()))) s.erase(s.begin());
  return s;
}

std::string lower(std::string s) {
  for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return s;
}

std::string numberText(const SettingSpec& spec, double d) {
  char text[48];
  if (spec.unit == "Hz") {
    if (d >= 1000)
      std::snprintf(text, sizeof text, "%.1f kHz", d / 1000);
    else
      std::snprintf(text, sizeof text, "%.0f Hz", d);
    return text;
  }
  if (spec.unit == "dB") {
    std::snprintf(text, sizeof text, "%.1f dB", d);
    std::string s = text;
    if (s[0] == '-') s = "\u2212" + s.substr(1); // a true minus sign
    return s;
  }
  std::string s = shortestNumber(std::round(d * 1000) / 1000);
  if (s[0] == '-') s = "\u2212" + s.substr(1);
  return spec.unit.empty() ? s : s + " " + spec.unit;
}

/// A number with what may follow it; "7k", "7 kHz", "1.2s", "−6 dB" (either minus sign).
std::optional<double> parseNumber(const SettingSpec& spec, std::string s) {
  if (s.starts_with("\u2212")) s = "-" + s.substr(3);
  std::replace(s.begin(), s.end(), ',', '.');
  char* end = nullptr;
  double d = std::strtod(s.c_str(), &end);
  if (end == s.c_str() || !std::isfinite(d)) return std::nullopt;
  const std::string rest = lower(trimmed(end));
  if (rest.empty() || rest == lower(spec.unit)) return d;
  if (spec.unit == "Hz" && (rest == "k" || rest == "khz")) return d * 1000;
  if (spec.type == SettingType::time && rest == "ms") return d;
  if (spec.type == SettingType::time && rest == "s") return d * 1000;
  if (spec.type == SettingType::rate && rest == "hz") return d;
  if (spec.type == SettingType::duration && rest == "ms") return d / 1000;
  if (spec.type == SettingType::duration && rest == "s") return d;
  if (spec.unit == "ms" && rest == "s") return d * 1000;
  if (spec.unit == "beats" && rest == "beat") return d;
  return std::nullopt;
}

} // namespace

std::string settingText(const SettingSpec& spec, const Value& v) {
  if (v.isNull()) return spec.whenNull.empty() ? "\u2013" : spec.whenNull;
  if (const auto* l = v.list()) {
    if (spec.perSide && l->size() == 2 && !(*l)[0].list())
      return settingText(spec, (*l)[0]) + " | " + settingText(spec, (*l)[1]);
    return "curve";
  }
  switch (spec.type) {
  case SettingType::boolean:
    return *v.boolean() ? "yes" : "no";
  case SettingType::choice:
    return *v.text();
  case SettingType::time:
    if (const auto* d = v.number()) return shortestNumber(std::round(*d * 100) / 100) + " ms";
    return *v.text();
  case SettingType::duration:
    if (const auto* d = v.number()) return shortestNumber(std::round(*d * 100) / 100) + " s";
    return *v.text();
  case SettingType::rate:
    if (const auto* d = v.number()) return shortestNumber(std::round(*d * 100) / 100) + " Hz";
    return *v.text();
  case SettingType::bands:
    return "curve";
  case SettingType::text: { // a path by its last part, what ships by its name
    const std::string& t = *v.text();
    const auto cut = t.find_last_of("/:");
    return cut == std::string::npos || cut + 1 == t.size() ? t : t.substr(cut + 1);
  }
  case SettingType::number:
    return v.text() ? *v.text() : numberText(spec, *v.number());
  }
  return {};
}

std::optional<Value> parseSetting(const SettingSpec& spec, const std::string& typed, std::string& why) {
  const std::string s = trimmed(typed), small = lower(s);
  std::optional<Value> v;
  if (spec.nullable &&
      (small.empty() || small == "-" || small == "\u2013" || small == "null" || small == lower(spec.whenNull)))
    return Value();
  if (spec.perSide)
    if (const auto bar = s.find_first_of("|;"); bar != std::string::npos) {
      const auto l = parseSetting(spec, s.substr(0, bar), why), r = parseSetting(spec, s.substr(bar + 1), why);
      if (!l || !r) return std::nullopt;
      return Value(List{*l, *r});
    }
  switch (spec.type) {
  case SettingType::boolean:
    if (small == "yes" || small == "y" || small == "on" || small == "true" || small == "1") v = Value(true);
    if (small == "no" || small == "n" || small == "off" || small == "false" || small == "0") v = Value(false);
    break;
  case SettingType::choice: {
    const auto begins = [&](const std::string& c) { return lower(c).starts_with(small); };
    if (std::find(spec.choices.begin(), spec.choices.end(), small) != spec.choices.end())
      v = Value(small);
    else if (std::count_if(spec.choices.begin(), spec.choices.end(), begins) == 1 && !small.empty())
      v = Value(*std::find_if(spec.choices.begin(), spec.choices.end(), begins));
    break;
  }
  case SettingType::text: {
    const auto ends = [&](const std::string& c) { return lower(c).ends_with(small); };
    const auto known = std::find_if(spec.choices.begin(), spec.choices.end(), ends);
    if (!small.empty()) v = Value(known != spec.choices.end() ? *known : s);
    break;
  }
  case SettingType::bands:
    break;
  case SettingType::time:
  case SettingType::duration:
  case SettingType::rate:
    if (NoteValue::parse(s))
      v = Value(s);
    else if (const auto d = parseNumber(spec, s))
      v = Value(*d);
    break;
  case SettingType::number:
    if (std::find(spec.choices.begin(), spec.choices.end(), small) != spec.choices.end())
      v = Value(small);
    else if (const auto d = parseNumber(spec, s))
      v = Value(*d);
    break;
  }
  if (!v) {
    why = "\"" + typed + "\" is not a value for " + spec.label;
    return std::nullopt;
  }
  Problems problems;
  checkSetting(spec, *v, spec.label, problems);
  if (problems.hasErrors()) {
    why = problems.list.front().text();
    return std::nullopt;
  }
  return v;
}

Value steppedSetting(const SettingSpec& spec, const Value& v, int steps, const TempoMap& map, Beats at) {
  if (steps == 0) return v;
  switch (spec.type) {
  case SettingType::boolean:
    return Value(v.boolean() ? (steps % 2 != 0) != *v.boolean() : true);
  case SettingType::text:
    if (spec.choices.empty()) return v;
    [[fallthrough]];
  case SettingType::choice: {
    const auto n = static_cast<int>(spec.choices.size());
    const auto it = v.text() ? std::find(spec.choices.begin(), spec.choices.end(), *v.text()) : spec.choices.begin();
    const int now = static_cast<int>(it - spec.choices.begin());
    return Value(spec.choices[static_cast<std::size_t>(((now + steps) % n + n) % n)]);
  }
  case SettingType::time: {
    const auto values = allNoteValues(map, at);
    double now = 0;
    if (const auto* d = v.number())
      now = *d / 1000;
    else if (v.text())
      now = NoteValue::parse(*v.text())->seconds(map, at).value;
    // The place among the note values, then so many further; equal lengths (a bar and four quarters) count once.
    std::vector<const NoteValue*> distinct;
    for (const NoteValue& n : values)
      if (distinct.empty() || n.seconds(map, at).value > distinct.back()->seconds(map, at).value + 1e-9)
        distinct.push_back(&n);
    std::ptrdiff_t place = 0;
    while (place < static_cast<std::ptrdiff_t>(distinct.size()) &&
           distinct[static_cast<std::size_t>(place)]->seconds(map, at).value < now - 1e-9)
      ++place;
    const bool on = place < static_cast<std::ptrdiff_t>(distinct.size()) &&
                    std::abs(distinct[static_cast<std::size_t>(place)]->seconds(map, at).value - now) < 1e-9;
    place += steps - (!on && steps > 0 ? 1 : 0);
    place = std::clamp<std::ptrdiff_t>(place, 0, static_cast<std::ptrdiff_t>(distinct.size()) - 1);
    return Value(distinct[static_cast<std::size_t>(place)]->text());
  }
  case SettingType::bands:
    return v;
  case SettingType::rate:
  case SettingType::duration: // note values stay note values; seconds step by a twelfth of themselves
    if (v.text()) {
      SettingSpec as = spec;
      as.type = SettingType::time;
      return steppedSetting(as, v, steps, map, at);
    }
    if (v.number())
      return Value(std::clamp(std::round(*v.number() * std::exp2(steps / 12.0) * 100) / 100, spec.min, spec.max));
    break;
  case SettingType::number:
    break;
  }
  const auto moved = [&](double d) {
    if (!spec.allowed.empty()) {
      const auto n = static_cast<std::ptrdiff_t>(spec.allowed.size());
      const auto now = std::lower_bound(spec.allowed.begin(), spec.allowed.end(), d) - spec.allowed.begin();
      return spec.allowed[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(now + steps, 0, n - 1))];
    }
    // Frequencies step by semitones' worth, so that a step is heard alike everywhere.
    const double next = spec.unit == "Hz" ? std::round(d * std::exp2(steps / 12.0))
                                          : std::round((d + steps * spec.step) / spec.step) * spec.step;
    return std::clamp(next, spec.min, spec.max);
  };
  if (const auto* d = v.number()) return Value(moved(*d));
  if (const auto* l = v.list()) {
    List out = *l;
    for (Value& item : out) {
      if (item.number())
        item = Value(moved(*item.number()));
      else if (auto* point = std::get_if<List>(&item.data); point && point->size() >= 2 && (*point)[1].number())
        (*point)[1] = Value(moved(*(*point)[1].number()));
    }
    return Value(std::move(out));
  }
  // From nothing: an open filter begins at its end of the range, everything else at its least or at zero.
  if (spec.unit == "Hz")
    return Value(spec.key.starts_with("high") ? (steps < 0 ? 12000.0 : spec.max) : (steps > 0 ? 80.0 : spec.min));
  return Value(std::clamp(spec.initial.number() ? *spec.initial.number() : 0.0,
                          std::max(spec.min, spec.unit == "beats" ? 1.0 : spec.min), spec.max));
}

} // namespace ivrin
