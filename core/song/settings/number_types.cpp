// Types whose values are numbers.
#include "song/settings/type_tools.h"
#include "song/song.h"
#include "time/plain_number.h"
#include "words/words.h"

namespace ivrin {
namespace {

std::string rangeText(const SettingSpec& s) {
  return shortestNumber(s.min) + ".." + shortestNumber(s.max) + (s.unit.empty() ? "" : " " + worded(s.unit));
}

} // namespace

void checkNumber(const SettingSpec& s, double d, const std::string& place, Problems& problems) {
  if (!(d >= s.min && d <= s.max))
    problems.error(ErrorId::out_of_range, place,
                   worded("%1 is out of range, allowed is %2", shortestNumber(d), rangeText(s)));
}

std::string singularOf(const std::string& unit) {
  return unit == "beats" ? "beat" : unit == "steps" ? "step" : "";
}

std::string numberText(const SettingSpec& s, double d) {
  if (s.percent) {
    const std::string share = shortestNumber(std::round(d * 1000) / 10) + " %";
    return share[0] == '-' ? "\u2212" + share.substr(1) : share;
  }
  if (s.unit == "Hz") return d >= 1000 ? fixedNumber(d / 1000, 1) + " kHz" : fixedNumber(d, 0) + " Hz";
  const std::string shown = s.unit == "dB" ? fixedNumber(d, 1) : shortestNumber(std::round(d * 1000) / 1000);
  const std::string one = shown == "1" || shown == "-1" ? singularOf(s.unit) : std::string();
  std::string plain =
      s.unit.empty() ? shown : shown + " " + (s.unit == "dB" ? "dB" : worded(one.empty() ? s.unit : one));
  if (plain[0] == '-') plain = "\u2212" + plain.substr(1); // a true minus sign
  return plain;
}

std::optional<double> parseNumber(const std::string& typed, const std::string& unit) {
  std::string s = typed;
  if (s.starts_with("\u2212")) s = "-" + s.substr(3);
  std::replace(s.begin(), s.end(), ',', '.'); // both are typed
  const auto [d, after] = readNumber(s);
  if (after.size() == s.size()) return std::nullopt;
  const std::string rest = lower(trimmed(std::string(after)));
  if (rest.empty() || rest == lower(unit) || rest == lower(worded(unit))) return d;
  if (unit == "dB/oct" && rest == "db") return d;
  if (unit == "Hz" && (rest == "k" || rest == "khz")) return d * 1000;
  if (unit == "ms" && rest == "s") return d * 1000;
  if (unit == "s" && rest == "ms") return d / 1000;
  if (const std::string one = singularOf(unit); !one.empty() && (rest == one || rest == lower(worded(one)))) return d;
  return std::nullopt;
}

namespace {

/// The stop so many steps from `d`; from between two stops the first step goes to the next one.
double stopFrom(const std::vector<double>& stops, double d, int steps) {
  const auto n = static_cast<std::ptrdiff_t>(stops.size());
  const auto under = std::lower_bound(stops.begin(), stops.end(), d) - stops.begin();
  const bool between = under == n || stops[static_cast<std::size_t>(under)] != d;
  const std::ptrdiff_t to = under + steps - (between && steps > 0 ? 1 : 0);
  return stops[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(to, 0, n - 1))];
}

class NumberType : public SettingType {
 public:
  std::string_view name() const override { return "number"; }
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    if (const auto* t = v.text(); t && std::find(s.choices.begin(), s.choices.end(), *t) != s.choices.end()) return;
    if (const auto* d = v.number())
      checkNumber(s, *d, place, problems);
    else
      problems.error(ErrorId::wrong_type, place,
                     worded(s.curve && s.nullable ? "must be a number %2, a curve or null, not %1"
                            : s.curve             ? "must be a number %2 or a curve, not %1"
                            : s.nullable          ? "must be a number %2 or null, not %1"
                                                  : "must be a number %2, not %1",
                            v.typeName(), rangeText(s)));
  }
  std::string text(const SettingSpec& s, const Value& v) const override {
    return v.text() ? worded(*v.text()) : numberText(s, *v.number());
  }
  std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const override {
    const std::string small = lower(typed);
    for (const std::string& c : s.choices)
      if (small == c || small == lower(worded(c))) return Value(c);
    const auto d = parseNumber(typed, s.percent ? "%" : s.unit);
    if (d && s.percent) return Value(std::round(*d * 1e6) / 1e8);
    return d ? std::optional(Value(*d)) : std::nullopt;
  }
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap&, Beats) const override {
    const double* d = v.number();
    if (!d) return v;
    if (!s.stops.empty()) return Value(stopFrom(s.stops, *d, steps));
    // Frequencies step by semitones' worth, so that a step is heard alike everywhere.
    const double next =
        s.unit == "Hz" ? std::round(*d * std::exp2(steps / 12.0)) : std::round((*d + steps * s.step) / s.step) * s.step;
    return Value(std::clamp(next, s.min, s.max));
  }
  std::string range(const SettingSpec& s) const override {
    const std::string text = worded("%1 to %2", shortestNumber(s.min), shortestNumber(s.max));
    const std::string words = quotedChoices(s);
    return words.empty() ? text : text + ", " + words;
  }
  std::string typing(const SettingSpec& s) const override {
    std::string all = worded("%1 to %2", numberText(s, s.min), numberText(s, s.max));
    for (const std::string& c : s.choices) all += ", " + worded(c);
    return all;
  }
  std::string brief(const SettingSpec& s) const override { return " " + rangeText(s) + listedChoices(s); }
  bool bounded() const override { return true; }
  std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const override {
    return Value(anyNumber(s.min, s.max, draw));
  }
  std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap& map,
                              Beats at) const override {
    if (!s.stops.empty()) return stepped(s, now, draw() < 0.5 ? -1 : 1, map, at);
    const double* d = now.number();
    if (!d) return std::nullopt;
    const double span = s.unit == "Hz" ? *d / 3 : std::min((s.max - s.min) / 4, std::max(std::abs(*d) / 3, 4 * s.step));
    const double sign = draw() < 0.5 ? -1 : 1, by = sign * span * (0.4 + 0.6 * draw());
    double next = *d + by;
    if (next < s.min || next > s.max) next = *d - by;
    // What feeds back must not run away by chance.
    const double most = s.role == Role::feedback ? std::min(s.max, std::max(*d, 85.0)) : s.max;
    return Value(std::clamp(std::round(next / s.step) * s.step, s.min, most));
  }
};

class IntegerType : public NumberType {
 public:
  std::string_view name() const override { return "integer"; }
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    NumberType::check(s, v, place, problems);
    if (const double* d = v.number(); d && *d != std::floor(*d))
      problems.error(ErrorId::wrong_type, place, worded("%1 is not a whole number", shortestNumber(*d)));
  }
  std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const override {
    return Value(std::round(anyNumber(s.min, s.max, draw)));
  }
};

/// A place between left, −1, and right, 1: read and typed as "L 45", "C", "R 100".
class PanType : public NumberType {
 public:
  std::string text(const SettingSpec&, const Value& v) const override {
    const double percent = std::round(*v.number() * 1000) / 10;
    if (percent == 0) return "C";
    return (percent < 0 ? "L " : "R ") + shortestNumber(std::abs(percent));
  }
  std::optional<Value> parse(const SettingSpec&, const std::string& typed) const override {
    std::string s = lower(typed);
    if (s == "c" || s == "center" || s == "centre") return Value(0.0);
    double side = 1;
    const auto takes = [&](std::string_view word, double to) {
      if (s.starts_with(word))
        s = s.substr(word.size());
      else if (s.ends_with(word))
        s = s.substr(0, s.size() - word.size());
      else
        return false;
      side = to;
      return true;
    };
    const bool named = takes("left", -1) || takes("right", 1) || takes("l", -1) || takes("r", 1);
    s = trimmed(s);
    if (named && s.empty()) return Value(side);
    const auto percent = parseNumber(s, "%");
    if (!percent || (named && *percent < 0)) return std::nullopt;
    return Value(side * std::round(*percent * 1e4) / 1e6);
  }
  std::string example(const SettingSpec&) const override { return "L 45, C, R 100"; }
  std::string typing(const SettingSpec&) const override { return worded("%1 to %2", "L 100", "R 100"); }
};

/// A MIDI note: read and typed as "A3" (57) or by its number; C4 is 60.
class NoteType : public IntegerType {
 public:
  std::string text(const SettingSpec&, const Value& v) const override {
    const int note = static_cast<int>(*v.number());
    const std::string octave = std::to_string(note / 12 - 1);
    return noteName(note) + (octave[0] == '-' ? "\u2212" + octave.substr(1) : octave);
  }
  std::optional<Value> parse(const SettingSpec&, const std::string& typed) const override {
    if (const auto number = parseNumber(typed, "")) return Value(*number);
    static const std::string letters = "c d ef g a b"; // a place for each semitone
    const std::string s = lower(typed);
    const auto letter = s.empty() || s[0] == ' ' ? s.npos : letters.find(s[0]);
    if (letter == s.npos) return std::nullopt;
    int note = static_cast<int>(letter);
    std::string rest = s.substr(1);
    for (const auto& [sign, by] : {std::pair{"#", 1}, {"♯", 1}, {"b", -1}, {"♭", -1}})
      if (rest.starts_with(sign)) {
        note += by;
        rest = rest.substr(std::string_view(sign).size());
        break;
      }
    const auto octave = parseNumber(rest, "");
    if (!octave || *octave != std::floor(*octave) || std::abs(*octave) > 20) return std::nullopt;
    return Value(12 * (*octave + 1) + note);
  }
  std::string example(const SettingSpec&) const override { return "A3, F♯2, 57"; }
  std::string typing(const SettingSpec& s) const override {
    return worded("%1 to %2", text(s, Value(s.min)), text(s, Value(s.max)));
  }
};

const NumberType numberType;
const PanType panType;
const NoteType noteType;
const IntegerType integerType;

} // namespace

namespace type {
const SettingType* const number = &numberType;
const SettingType* const integer = &integerType;
const SettingType* const pan = &panType;
const SettingType* const note = &noteType;
} // namespace type

} // namespace ivrin
