// Types whose values are words: yes or no, one of several, a file, a row.
#include "song/settings/setting_type.h"
#include "song/settings/type_tools.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace {

class YesNoType : public SettingType {
 public:
  std::string_view name() const override { return "boolean"; }
  void check(const SettingSpec&, const Value& v, const std::string& place, Problems& problems) const override {
    if (!v.boolean()) problems.error(ErrorId::wrong_type, place, worded("must be true or false, not %1", v.typeName()));
  }
  std::string text(const SettingSpec& s, const Value& v) const override {
    if (s.shown.size() == 2) return worded(s.shown[*v.boolean() ? 1 : 0]);
    return worded(*v.boolean() ? "yes" : "no");
  }
  std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const override {
    const std::string small = lower(typed);
    for (std::size_t i = 0; i < s.shown.size(); ++i)
      if (!small.empty() && (lower(s.shown[i]).starts_with(small) || lower(worded(s.shown[i])).starts_with(small)))
        return Value(i == 1);
    if (small == lower(worded("yes")) || small == lower(worded("no"))) return Value(small == lower(worded("yes")));
    for (const char* yes : {"yes", "y", "on", "true", "1"})
      if (small == yes) return Value(true);
    for (const char* no : {"no", "n", "off", "false", "0"})
      if (small == no) return Value(false);
    return std::nullopt;
  }
  Value stepped(const SettingSpec&, const Value& v, int steps, const TempoMap&, Beats) const override {
    return Value(v.boolean() ? (steps % 2 != 0) != *v.boolean() : true);
  }
  std::string range(const SettingSpec&) const override { return "true, false"; }
  std::string typing(const SettingSpec& s) const override {
    return text(s, Value(true)) + ", " + text(s, Value(false));
  }
  std::string brief(const SettingSpec&) const override { return {}; }
  std::optional<Value> atRandom(const SettingSpec&, Draw draw) const override { return Value(draw() < 0.5); }
  std::optional<Value> varied(const SettingSpec&, const Value&, Draw, const TempoMap&, Beats) const override {
    return std::nullopt;
  }
  bool turns() const override { return true; }
};

/// The next choice round.
Value turned(const SettingSpec& s, const Value& v, int steps) {
  if (s.choices.empty()) return v;
  const auto n = static_cast<int>(s.choices.size());
  const auto it = v.text() ? std::find(s.choices.begin(), s.choices.end(), *v.text()) : s.choices.begin();
  const int now = static_cast<int>(it - s.choices.begin());
  return Value(s.choices[static_cast<std::size_t>(((now + steps) % n + n) % n)]);
}

class ChoiceType : public SettingType {
 public:
  std::string_view name() const override { return "choice"; }
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    std::string all;
    for (const auto& c : s.choices) all += (all.empty() ? "\"" : ", \"") + c + "\"";
    const auto* t = v.text();
    if (!t)
      problems.error(ErrorId::wrong_type, place, worded("must be one of %2, not %1", v.typeName(), all));
    else if (std::find(s.choices.begin(), s.choices.end(), *t) == s.choices.end())
      problems.error(ErrorId::unknown_choice, place,
                     worded("“%1” is not one of %2%3", *t, all, didYouMean(*t, s.choices)));
  }
  std::string text(const SettingSpec& s, const Value& v) const override {
    return v.text() ? read(s, *v.text()) : std::string();
  }
  std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const override {
    const std::string small = lower(typed);
    if (std::find(s.choices.begin(), s.choices.end(), small) != s.choices.end()) return Value(small);
    // As the file has it or as it is read, whole, else by the beginning of one alone.
    std::vector<std::string> begun;
    for (const std::string& c : s.choices) {
      const std::string shown = lower(read(s, c));
      if (shown == small) return Value(c);
      if (!small.empty() && (shown.starts_with(small) || lower(c).starts_with(small))) begun.push_back(c);
    }
    return begun.size() == 1 ? std::optional(Value(begun.front())) : std::nullopt;
  }
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap&, Beats) const override {
    return turned(s, v, steps);
  }
  std::string range(const SettingSpec& s) const override { return quotedChoices(s); }
  std::string typing(const SettingSpec& s) const override {
    std::string all;
    for (const std::string& c : s.choices) all += (all.empty() ? "" : ", ") + read(s, c);
    return all;
  }
  std::string brief(const SettingSpec& s) const override { return listedChoices(s); }
  std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const override {
    return Value(oneOf(s.choices, draw));
  }
  std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap&,
                              Beats) const override {
    std::vector<std::string> others;
    for (const auto& c : s.choices)
      if ((!now.text() || c != *now.text()) &&
          std::find(s.notByChance.begin(), s.notByChance.end(), c) == s.notByChance.end())
        others.push_back(c);
    if (others.empty()) return std::nullopt;
    return Value(oneOf(others, draw));
  }
  bool turns() const override { return true; }

 private:
  /// A choice as it is shown.
  static std::string read(const SettingSpec& s, const std::string& choice) {
    const auto at = static_cast<std::size_t>(std::find(s.choices.begin(), s.choices.end(), choice) - s.choices.begin());
    if (at < s.shown.size()) return worded(s.shown[at]);
    return s.named ? choice : worded(choice);
  }
};

/// A text that stands for something outside the table.
class NameType : public SettingType {
 public:
  void check(const SettingSpec&, const Value& v, const std::string& place, Problems& problems) const override {
    if (const auto* t = v.text(); !t)
      problems.error(ErrorId::wrong_type, place, worded("must be text, not %1", v.typeName()));
    else if (t->empty() || t->size() > 4096)
      problems.error(ErrorId::out_of_range, place, worded("must have 1 to 4096 bytes"));
  }
  /// A path by its last part, what ships by its name.
  std::string text(const SettingSpec&, const Value& v) const override {
    const std::string& t = *v.text();
    const auto cut = t.find_last_of("/:");
    const std::string last = cut == std::string::npos || cut + 1 == t.size() ? t : t.substr(cut + 1);
    return t.starts_with("shipped:") ? worded(last) : last;
  }
  std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const override {
    if (typed.empty()) return std::nullopt;
    const std::string small = lower(typed);
    const auto known = std::find_if(s.choices.begin(), s.choices.end(),
                                    [&](const std::string& c) { return lower(c).ends_with(small); });
    return Value(known != s.choices.end() ? *known : typed);
  }
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap&, Beats) const override {
    return turned(s, v, steps);
  }
  std::optional<Value> atRandom(const SettingSpec& s, Draw) const override {
    if (s.choices.empty()) return std::nullopt;
    return Value(s.choices.back());
  }
  std::optional<Value> varied(const SettingSpec&, const Value&, Draw, const TempoMap&, Beats) const override {
    return std::nullopt;
  }
  std::string brief(const SettingSpec& s) const override { return listedChoices(s); }
  bool turns() const override { return true; }
  bool picked() const override { return true; }
};

class FileType : public NameType {
 public:
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    NameType::check(s, v, place, problems);
    const auto* t = v.text();
    if (!t) return;
    if (t->find('\0') != std::string::npos) problems.error(ErrorId::out_of_range, place, worded("is not a path"));
    if (t->starts_with("shipped:") && std::find(s.choices.begin(), s.choices.end(), *t) == s.choices.end())
      problems.error(ErrorId::unknown_choice, place,
                     worded("“%1” is not built into Ivrin%2", *t, didYouMean(*t, s.choices)));
  }
  std::string_view name() const override { return "text"; }
  std::string range(const SettingSpec& s) const override { return "a path, or " + quotedChoices(s); }
  std::string typing(const SettingSpec& s) const override {
    std::string all = worded("a path");
    for (const std::string& c : s.choices) all += ", " + text(s, Value(c));
    return all;
  }
};

class RowType : public NameType {
 public:
  std::string_view name() const override { return "text"; }
  std::string range(const SettingSpec&) const override { return worded("the id of a row"); }
  bool namesRow() const override { return true; }
};

const YesNoType yesNoType;
const ChoiceType choiceType;
const FileType fileType;
const RowType rowType;

} // namespace

namespace type {
const SettingType* const yesNo = &yesNoType;
const SettingType* const choice = &choiceType;
const SettingType* const file = &fileType;
const SettingType* const row = &rowType;
} // namespace type

} // namespace ivrin
