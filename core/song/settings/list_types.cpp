// Types whose values are lists of structures.
#include "song/settings/type_tools.h"
#include "time/note_value.h"
#include "words/words.h"

#include <sstream>

namespace ivrin {
namespace {

class BandsType : public SettingType {
 public:
  std::string_view name() const override { return "bands"; }
  void check(const SettingSpec&, const Value& v, const std::string& place, Problems& problems) const override {
    const auto* l = v.list();
    if (!l || l->size() > 8) {
      problems.error(ErrorId::wrong_type, place,
                     worded("is not a list of up to 8 bands {\"freq_hz\", \"gain_db\", \"q\"}"));
      return;
    }
    for (std::size_t i = 0; i < l->size(); ++i) {
      const std::string at = place + "[" + std::to_string(i) + "]";
      const Object* o = (*l)[i].object();
      if (!o || o->size() != 3) {
        problems.error(ErrorId::wrong_type, at, worded("must be {\"freq_hz\", \"gain_db\", \"q\"}"));
        continue;
      }
      static const SettingSpec parts[] = {{.key = "freq_hz", .min = 20, .max = 20000},
                                          {.key = "gain_db", .min = -24, .max = 24},
                                          {.key = "q", .min = 0.1, .max = 20}};
      for (const SettingSpec& part : parts) {
        const auto it = std::find_if(o->begin(), o->end(), [&](const auto& e) { return e.first == part.key; });
        if (it == o->end())
          problems.error(ErrorId::missing_field, at, worded("has no “%1”", part.key));
        else
          type::number->check(part, it->second, at + "." + part.key, problems);
      }
    }
  }
  std::string text(const SettingSpec&, const Value&) const override { return worded("curve"); }
  std::optional<Value> parse(const SettingSpec&, const std::string&) const override { return std::nullopt; }
  Value stepped(const SettingSpec&, const Value& v, int, const TempoMap&, Beats) const override { return v; }
  std::string range(const SettingSpec&) const override { return "up to 8 of `{freq_hz, gain_db, q}`"; }
  std::string brief(const SettingSpec&) const override { return ": [{freq_hz, gain_db, q}]"; }
  std::optional<Value> atRandom(const SettingSpec&, Draw draw) const override {
    return Value(List{Object{{"freq_hz", anyNumber(20, 20000, draw)},
                             {"gain_db", anyNumber(-24, 24, draw)},
                             {"q", anyNumber(0.1, 20, draw)}},
                      Object{{"freq_hz", 800.0}, {"gain_db", 6.0}, {"q", 1.0}}});
  }
  std::optional<Value> varied(const SettingSpec&, const Value&, Draw, const TempoMap&, Beats) const override {
    return std::nullopt;
  }
  bool drawn() const override { return true; }
};

/// Runs of equal steps: [["1/8", 2], ["1/16", 4]], typed as "2 × 1/8, 4 × 1/16".
class PatternType : public SettingType {
 public:
  std::string_view name() const override { return "pattern"; }
  void check(const SettingSpec&, const Value& v, const std::string& place, Problems& problems) const override {
    const auto* l = v.list();
    if (!l || l->empty() || l->size() > kMostRuns) {
      problems.error(ErrorId::wrong_type, place, worded("is not a list of 1 to 64 pairs [note value, count]"));
      return;
    }
    static const SettingSpec length{.key = "length", .type = type::time, .min = 1, .max = 960000};
    static const SettingSpec count{
        .key = "count", .type = type::integer, .min = 1, .max = static_cast<double>(kMostOfARun)};
    for (std::size_t i = 0; i < l->size(); ++i) {
      const std::string at = place + "[" + std::to_string(i) + "]";
      const List* run = (*l)[i].list();
      if (!run || run->size() != 2) {
        problems.error(ErrorId::wrong_type, at, worded("must be [note value, count]"));
        continue;
      }
      length.type->check(length, (*run)[0], at + "[0]", problems);
      count.type->check(count, (*run)[1], at + "[1]", problems);
    }
  }
  std::string text(const SettingSpec& s, const Value& v) const override {
    std::string all;
    for (const Value& run : *v.list())
      all += (all.empty() ? "" : ", ") + shortestNumber(*(*run.list())[1].number()) + " × " +
             type::time->text(s, (*run.list())[0]);
    return all;
  }
  std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const override {
    List runs;
    std::stringstream in(typed);
    for (std::string part; std::getline(in, part, ',');) {
      auto at = part.find("×");
      std::size_t sign = std::string("×").size();
      if (at == std::string::npos) {
        at = part.find_first_of("x*");
        sign = 1;
      }
      const auto count = at == std::string::npos ? std::optional(1.0) : parseNumber(trimmed(part.substr(0, at)), "");
      const auto length = type::time->parse(s, trimmed(at == std::string::npos ? part : part.substr(at + sign)));
      if (!count || !length) return std::nullopt;
      runs.emplace_back(List{*length, Value(*count)});
    }
    return runs.empty() ? std::nullopt : std::optional(Value(std::move(runs)));
  }
  /// Every run so many note values further.
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap& map, Beats at) const override {
    if (!v.list()) return v;
    List runs = *v.list();
    for (Value& run : runs) run = List{type::time->stepped(s, (*run.list())[0], steps, map, at), (*run.list())[1]};
    return Value(std::move(runs));
  }
  int since(const Value& v) const override {
    int version = 1;
    if (v.list())
      for (const Value& run : *v.list())
        if (run.list() && !run.list()->empty()) version = std::max(version, type::time->since(run.list()->front()));
    return version;
  }
  std::string example(const SettingSpec&) const override { return "2 × 1/8, 4 × 1/16"; }
  std::string range(const SettingSpec&) const override { return "1 to 64 of `[note value, count]`"; }
  std::string typing(const SettingSpec&) const override { return worded("lengths such as 2 × 1/8, 4 × 1/16"); }
  std::string brief(const SettingSpec&) const override { return ": [[note value, count]]"; }
  std::optional<Value> atRandom(const SettingSpec&, Draw draw) const override {
    static const std::vector<std::string> lengths{"1/8", "1/16", "1/16t", "1/32"};
    List runs;
    for (int i = 0; i <= static_cast<int>(3 * draw()); ++i)
      runs.emplace_back(List{oneOf(lengths, draw), std::floor(1 + 6 * draw())});
    return Value(std::move(runs));
  }
  std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap& map,
                              Beats at) const override {
    if (!now.list()) return std::nullopt;
    return stepped(s, now, draw() < 0.5 ? -1 : 1, map, at);
  }
};

/// A part of a step, or a time that stays when the step's length changes: 35, or {"ms": 4}; typed as "35 %" or "4 ms".
class FadeType : public SettingType {
 public:
  std::string_view name() const override { return "fade"; }
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    if (const double* percent = v.number()) return checkNumber(s, *percent, place, problems);
    if (const double* ms = milliseconds(v)) return checkNumber(inMs(), *ms, place + ".ms", problems);
    problems.error(ErrorId::wrong_type, place,
                   worded("must be percent of the cell or {\"ms\": number}, not %1", v.typeName()));
  }
  std::string text(const SettingSpec& s, const Value& v) const override {
    const double* ms = milliseconds(v);
    return ms ? numberText(inMs(), *ms) : numberText(s, *v.number());
  }
  std::optional<Value> parse(const SettingSpec&, const std::string& typed) const override {
    if (const auto percent = parseNumber(typed, "%")) return Value(*percent);
    const auto ms = parseNumber(typed, "ms");
    return ms ? std::optional(Value(Object{{"ms", Value(*ms)}})) : std::nullopt;
  }
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap& map, Beats at) const override {
    if (const double* ms = milliseconds(v))
      return Value(Object{{"ms", type::number->stepped(inMs(), Value(*ms), steps, map, at)}});
    return type::number->stepped(s, v, steps, map, at);
  }
  std::string range(const SettingSpec& s) const override {
    return shortestNumber(s.min) + " to " + shortestNumber(s.max) + ", or `{ms}`";
  }
  std::string typing(const SettingSpec& s) const override {
    return worded("%1 to %2, or %3 to %4", numberText(s, s.min), numberText(s, s.max), numberText(inMs(), 0),
                  numberText(inMs(), inMs().max));
  }
  std::string example(const SettingSpec&) const override { return "10 %, 4 ms"; }
  std::string brief(const SettingSpec& s) const override {
    return " " + shortestNumber(s.min) + ".." + shortestNumber(s.max) + " %, or {ms}";
  }
  bool bounded() const override { return true; }
  std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const override {
    if (draw() < 0.3) return Value(Object{{"ms", anyNumber(0, inMs().max, draw)}});
    return Value(anyNumber(s.min, s.max, draw));
  }
  std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap& map,
                              Beats at) const override {
    if (now.number()) return type::number->varied(s, now, draw, map, at);
    return stepped(s, now, draw() < 0.5 ? -2 : 2, map, at);
  }

 private:
  static const SettingSpec& inMs() {
    static const SettingSpec ms{.key = "ms", .unit = "ms", .max = 1000};
    return ms;
  }
  static const double* milliseconds(const Value& v) {
    const Object* o = v.object();
    return o && o->size() == 1 && o->front().first == "ms" ? o->front().second.number() : nullptr;
  }
};

const BandsType bandsType;
const PatternType patternType;
const FadeType fadeType;

} // namespace

namespace type {
const SettingType* const bands = &bandsType;
const SettingType* const pattern = &patternType;
const SettingType* const fade = &fadeType;
} // namespace type

} // namespace ivrin
