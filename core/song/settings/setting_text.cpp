#include "song/settings/setting_text.h"

#include "song/settings/type_tools.h"
#include "time/note_value.h"
#include "words/words.h"

#include <cmath>
#include <span>

namespace ivrin {
namespace {

/// Lists longer than this are told by their first values.
constexpr std::size_t kSaid = 4;

/// Values one after another, a unit that they share said once, behind the last; not kHz, which would be typed as Hz.
std::vector<std::string> texts(const SettingSpec& spec, std::span<const Value> values) {
  std::vector<std::string> all;
  for (const Value& v : values) all.push_back(v.isNull() ? std::string("–") : spec.type->text(spec, v));
  const std::string unit = spec.unit.empty() || spec.unit == "Hz" ? std::string() : " " + worded(spec.unit);
  if (unit.empty() || !all.back().ends_with(unit)) return all;
  const std::string one = singularOf(spec.unit), ofOne = one.empty() ? unit : " " + worded(one);
  for (std::size_t i = 0; i + 1 < all.size(); ++i)
    for (const std::string& said : {unit, ofOne}) // "1, 2 beats"
      if (all[i].ends_with(said)) all[i].resize(all[i].size() - said.size());
  return all;
}

std::string listText(const SettingSpec& spec, const List& l) {
  std::string all;
  for (const std::string& one : texts(spec, std::span(l).first(std::min(l.size(), kSaid))))
    all += (all.empty() ? "" : ", ") + one;
  return l.size() > kSaid ? all + " … " + std::to_string(l.size()) : all;
}

/// What was typed between separators; "–" stands for null where an entry may be.
std::optional<Value> parseEntries(const SettingSpec& spec, std::string typed, const char* separators) {
  for (const std::string& between : {std::string(" to "), worded("%1 to %2", "", "")})
    if (const auto to = typed.find(between); spec.shape == Shape::pair && to != std::string::npos)
      typed.replace(to, between.size(), ",");
  List l;
  for (std::size_t at = 0; at <= typed.size();) {
    const std::size_t end = std::min(typed.find_first_of(separators, at), typed.size());
    const std::string part = trimmed(typed.substr(at, end - at));
    at = end + 1;
    if (spec.entriesNullable && (part == "-" || part == "–" || lower(part) == "null")) {
      l.emplace_back();
      continue;
    }
    const auto v = spec.type->parse(spec, part);
    if (!v) return std::nullopt;
    l.push_back(*v);
  }
  return Value(std::move(l));
}

} // namespace

std::string settingText(const SettingSpec& spec, const Value& v) {
  if (v.isNull()) return spec.whenNull.empty() ? "\u2013" : worded(spec.whenNull);
  if (const auto* l = v.list()) {
    if (spec.shape == Shape::pair && l->size() == 2) {
      const auto both = texts(spec, *l);
      return worded("%1 to %2", both[0], both[1]);
    }
    if (spec.shape == Shape::list) return listText(spec, *l);
    if (spec.perSide && l->size() == 2 && !(*l)[0].list())
      return settingText(spec, (*l)[0]) + " | " + settingText(spec, (*l)[1]);
    if (spec.curve) return worded("curve");
  }
  return spec.type->text(spec, v);
}

std::string SettingType::example(const SettingSpec& s) const {
  if (!s.initial.isNull() && s.shape == Shape::one && !s.initial.list()) return text(s, s.initial);
  if (const List* l = s.initial.list(); l && !l->empty() && !(*l)[0].isNull() && !(*l)[0].list())
    return text(s, (*l)[0]);
  if (s.fromNull) return text(s, Value(s.fromNull->second));
  return bounded() ? text(s, Value(s.max)) : std::string();
}

std::optional<Value> parseSetting(const SettingSpec& spec, const std::string& typed, std::string& why) {
  const std::string s = trimmed(typed), small = lower(s);
  if (spec.nullable && (small.empty() || small == "-" || small == "\u2013" || small == "null" ||
                        small == lower(spec.whenNull) || small == lower(worded(spec.whenNull))))
    return Value();
  if (spec.perSide)
    if (const auto bar = s.find_first_of("|;"); bar != std::string::npos) {
      const auto l = parseSetting(spec, s.substr(0, bar), why), r = parseSetting(spec, s.substr(bar + 1), why);
      if (!l || !r) return std::nullopt;
      return Value(List{*l, *r});
    }
  // In a list a comma stands between values; a number's own comma is a point there.
  std::optional<Value> v = spec.shape == Shape::one ? spec.type->parse(spec, s) : parseEntries(spec, s, ",;|");
  if (!v) {
    why = worded("%1 does not accept “%2”. Type %3.", worded(spec.label), typed, settingTyping(spec));
    return std::nullopt;
  }
  if (const double* d = v->number(); d && spec.percent && !(*d >= spec.min && *d <= spec.max)) { // in what was typed
    const auto read = [&](double share) { return spec.type->text(spec, Value(share)); };
    why = worded("%1: %2 is out of range, allowed is %3 to %4", worded(spec.label), read(*d), read(spec.min),
                 read(spec.max));
    return std::nullopt;
  }
  Problems problems;
  checkSetting(spec, *v, worded(spec.label), problems);
  if (problems.hasErrors()) {
    why = problems.list.front().text();
    return std::nullopt;
  }
  return v;
}

std::optional<Value> parseSettingAt(const SettingSpec& spec, const std::string& typed, const TempoMap& map, Beats at,
                                    std::string& why) {
  const std::string s = lower(trimmed(typed));
  const auto endsWith = [&](std::string_view end) { return s.size() > end.size() && s.ends_with(end); };
  const auto bars = [&]() -> std::optional<double> { // any number of them, in beats
    if (!endsWith("bars") && !endsWith("bar")) return std::nullopt;
    const auto n = parseNumber(trimmed(s.substr(0, s.rfind("bar"))), "");
    return n ? std::optional(*n * map.meterAt(at).barLength().quarters()) : std::nullopt;
  };
  const auto rounded = [](double beats) { return shortestNumber(std::round(beats * 1e6) / 1e6); };
  if (spec.unit == "beats" && spec.shape == Shape::one && !spec.curve) {
    std::optional<double> beats = bars();
    if (const auto note = beats ? std::nullopt : NoteValue::typed(s))
      beats = note->beats(map, at)->quarters();
    else if (!beats && endsWith("s") && !endsWith("beats")) // seconds or milliseconds
      if (const auto ms = parseNumber(s, "ms")) beats = *ms / 60000 * map.bpmAt(at);
    return beats ? parseSetting(spec, rounded(*beats), why) : parseSetting(spec, typed, why);
  }
  auto v = parseSetting(spec, typed, why);
  if (const auto beats = v || spec.shape != Shape::one ? std::nullopt : bars()) // "1.5 bars" as a time
    v = parseSetting(spec, rounded(*beats) + " beats", why);
  if (!v) return std::nullopt;
  const List* l = spec.shape != Shape::one ? v->list() : nullptr;
  for (std::size_t i = 0; i < (l ? l->size() : 1); ++i)
    if (std::string no = spec.type->refusalAt(spec, l ? (*l)[i] : *v, map, at); !no.empty()) {
      why = std::move(no);
      return std::nullopt;
    }
  return v;
}

Value steppedSetting(const SettingSpec& spec, const Value& v, int steps, const TempoMap& map, Beats at) {
  if (steps == 0) return v;
  if (v.isNull() && spec.type->bounded()) {
    if (spec.fromNull) return Value(steps < 0 ? spec.fromNull->first : spec.fromNull->second);
    if (spec.shape == Shape::one && spec.initial.text()) return spec.initial;
    if (spec.shape == Shape::one)
      return Value(std::clamp(spec.initial.number() ? *spec.initial.number() : 0.0,
                              std::max(spec.min, spec.unit == "beats" ? 1.0 : spec.min), spec.max));
  }
  const auto* l = v.list();
  if (!l || !(spec.shape != Shape::one || spec.perSide || spec.curve))
    return spec.type->stepped(spec, v, steps, map, at);
  List out = *l;
  for (Value& item : out) {
    if (auto* point = std::get_if<List>(&item.data); point && point->size() >= 2 && spec.curve) // of a curve: its value
      (*point)[1] = spec.type->stepped(spec, (*point)[1], steps, map, at);
    else if (!item.isNull())
      item = spec.type->stepped(spec, item, steps, map, at);
  }
  return Value(std::move(out));
}

std::string settingRange(const SettingSpec& spec) {
  std::string text = spec.type->range(spec);
  if (spec.shape == Shape::pair) text = "[from, to]: each " + text;
  if (spec.shape == Shape::list) text = "list of 1 to " + std::to_string(spec.most) + ": each " + text;
  if (spec.entriesNullable) text += " or null";
  if (spec.curve) text += spec.curveOverSpan ? ", curve (x 0 to 1 over the span)" : ", curve";
  if (spec.perSide) text += ", [left, right]";
  if (spec.nullable) text += ", null (" + spec.whenNull + ")";
  return text;
}

std::string settingTyping(const SettingSpec& spec) {
  std::string text = spec.type->typing(spec);
  if (spec.shape == Shape::pair) text = worded("%1 (two, written “first to second”)", text);
  if (spec.shape == Shape::list) text = worded("%1 (a list with commas)", text);
  if (spec.entriesNullable) text = worded("%1; “–” leaves one out", text);
  if (spec.perSide) text = worded("%1; for different sides, “left | right”", text);
  if (spec.nullable) text = worded("%1; or “%2”", text, worded(spec.whenNull.empty() ? "–" : spec.whenNull));
  return text;
}

std::string settingExample(const SettingSpec& spec) {
  std::string one = spec.type->example(spec);
  if (one.empty() || spec.shape == Shape::one) return one;
  if (spec.shape == Shape::pair) return settingText(spec, spec.initial);
  return spec.initial.list() && spec.initial.list()->size() > 1 ? listText(spec, *spec.initial.list()) : one;
}

std::optional<Value> anySetting(const SettingSpec& spec, const std::function<double()>& draw) {
  if (spec.shape == Shape::one) return spec.type->atRandom(spec, draw);
  List l;
  const std::size_t n = spec.shape == Shape::pair ? 2 : 1 + static_cast<std::size_t>(draw() * 7);
  for (std::size_t i = 0; i < std::min(n, spec.most); ++i) {
    const auto v = spec.type->atRandom(spec, draw);
    if (!v) return std::nullopt;
    l.push_back(spec.entriesNullable && draw() < 0.2 ? Value() : *v);
  }
  return Value(std::move(l));
}

std::optional<Value> variedSetting(const SettingSpec& spec, const Value& now, const std::function<double()>& draw,
                                   const TempoMap& map, Beats at) {
  if (now.isNull()) return std::nullopt; // what is open stays open
  if (spec.shape == Shape::one)          // and what is drawn, or set for each side, stays so
    return now.list() && (spec.curve || spec.perSide) ? std::nullopt : spec.type->varied(spec, now, draw, map, at);
  if (!now.list() || now.list()->empty()) return std::nullopt;
  List l = *now.list();
  Value& one = l[std::min(l.size() - 1, static_cast<std::size_t>(draw() * static_cast<double>(l.size())))];
  if (one.isNull()) return std::nullopt;
  const auto v = spec.type->varied(spec, one, draw, map, at);
  if (!v) return std::nullopt;
  one = *v;
  return Value(std::move(l));
}

} // namespace ivrin
