// Types whose values are lengths of time: note values, or numbers of milliseconds, seconds or turns in a second.
#include "song/settings/type_tools.h"
#include "time/note_value.h"
#include "words/words.h"

namespace ivrin {
namespace {

constexpr int kLongestBars = 16; // of a time

class TimeType : public SettingType {
 public:
  TimeType(std::string_view name, std::string unit, std::string words, const char* shortNote, double typicalMost)
      : name_(name)
      , unit_(std::move(unit))
      , words_(std::move(words))
      , shortNote_(shortNote)
      , typicalMost_(typicalMost) {}
  std::string_view name() const override { return name_; }
  void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const override {
    if (const auto* d = v.number())
      checkNumber(s, *d, place, problems);
    else if (const auto* t = v.text(); !t)
      problems.error(ErrorId::wrong_type, place, worded("must be a note value or %2, not %1", v.typeName(), words_));
    else if (const auto note = NoteValue::parse(*t); !note)
      problems.error(
          ErrorId::out_of_range, place,
          worded("“%1” is not a note value (such as \"1/8\", \"1/8.\", \"1/16t\", \"5/16\", \"0.3 beats\", \"2 bars\")",
                 *t));
    else if (note->kind == NoteValue::Kind::bars && note->number > kLongestBars)
      problems.error(ErrorId::out_of_range, place, worded("“%1” is longer than 16 bars", *t));
  }
  std::string text(const SettingSpec&, const Value& v) const override {
    if (const auto* d = v.number()) return shortestNumber(std::round(*d * 100) / 100) + " " + unit_;
    return read(*v.text());
  }
  std::optional<Value> parse(const SettingSpec&, const std::string& typed) const override {
    if (const auto note = NoteValue::typed(typed)) return Value(note->text());
    if (const auto note = NoteValue::typed(inEnglish(typed))) return Value(note->text());
    if (const auto d = parseNumber(typed, unit_)) return Value(*d);
    // Turns in a second and the time of one say the same.
    const bool rate = unit_ == "Hz";
    const auto other = parseNumber(typed, rate ? "ms" : "Hz");
    if (!other || !(*other > 0)) return std::nullopt;
    return Value(std::round((rate || unit_ == "ms" ? 1000 : 1) / *other * 1e4) / 1e4);
  }
  std::string example(const SettingSpec&) const override {
    const std::string notes = worded("1/8., 5/16, %1, %2", worded("%1 beats", "0.3"), worded("%1 bars", 2));
    return notes + (unit_ == "ms" ? ", 180 ms, 3 Hz" : unit_ == "Hz" ? ", 0.5 Hz" : ", 2.5 s");
  }
  std::string refusalAt(const SettingSpec& s, const Value& v, const TempoMap& map, Beats at) const override {
    const auto note = v.text() ? NoteValue::parse(*v.text()) : std::nullopt;
    if (!note) return {};
    const double seconds = note->seconds(map, at).value;
    if (seconds < 0.001) return worded("%1: %2 is shorter than 1 ms at this tempo", worded(s.label), text(s, v));
    if (note->kind != NoteValue::Kind::bars &&
        *note->beats(map, at) > NoteValue{.kind = NoteValue::Kind::bars, .number = kLongestBars}.beats(map, at))
      return worded("%1: %2 is longer than 16 bars", worded(s.label), text(s, v));
    return {};
  }
  int since(const Value& v) const override {
    const auto note = v.text() ? NoteValue::parse(*v.text()) : std::nullopt;
    return note ? note->since() : 1;
  }
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap& map, Beats at) const override {
    // Note values stay note values; numbers step by a twelfth of themselves.
    if (const double* d = v.number())
      return Value(std::clamp(std::round(*d * std::exp2(steps / 12.0) * 100) / 100, s.min, s.max));
    return v.text() ? alongNotes(NoteValue::parse(*v.text())->seconds(map, at).value, steps, map, at) : v;
  }
  std::string range(const SettingSpec&) const override { return "note value or " + unit_; }
  std::string typing(const SettingSpec& s) const override {
    return worded("a note value, or %1 to %2", text(s, Value(s.min)), text(s, Value(s.max)));
  }
  std::string brief(const SettingSpec&) const override { return ": note value or " + words_; }
  bool bounded() const override { return true; }
  std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const override {
    if (draw() >= 0.5) return Value(shortNote_);
    return Value(std::clamp(typicalMost_ > 0 ? s.min + typicalMost_ * draw() * draw() : anyNumber(s.min, s.max, draw),
                            s.min, s.max));
  }
  std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap& map,
                              Beats at) const override {
    if (now.text()) {
      const int by = 1 + static_cast<int>(2 * draw());
      return alongNotes(NoteValue::parse(*now.text())->seconds(map, at).value, draw() < 0.5 ? -by : by, map, at);
    }
    if (now.number() && *now.number() > 0)
      return Value(std::clamp(*now.number() * std::exp2((draw() - 0.5) * 1.2), s.min, s.max));
    return std::nullopt;
  }

 protected:
  /// The place among the note values, then so many further; equal lengths (a bar and four quarters) count once.
  static Value alongNotes(double seconds, int steps, const TempoMap& map, Beats at) {
    const auto values = allNoteValues(map, at);
    std::vector<const NoteValue*> distinct;
    for (const NoteValue& n : values)
      if (distinct.empty() || n.seconds(map, at).value > distinct.back()->seconds(map, at).value + 1e-9)
        distinct.push_back(&n);
    const auto lengthAt = [&](std::ptrdiff_t i) {
      return distinct[static_cast<std::size_t>(i)]->seconds(map, at).value;
    };
    const auto n = static_cast<std::ptrdiff_t>(distinct.size());
    std::ptrdiff_t place = 0;
    while (place < n && lengthAt(place) < seconds - 1e-9) ++place;
    const bool on = place < n && std::abs(lengthAt(place) - seconds) < 1e-9;
    place += steps - (!on && steps > 0 ? 1 : 0);
    return Value(distinct[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(place, 0, n - 1))]->text());
  }

 private:
  /// As the file has it, but for bars, which are words.
  static std::string read(const std::string& note) {
    const auto n = NoteValue::parse(note);
    if (n && n->kind == NoteValue::Kind::quarters) return worded("%1 beats", note.substr(0, note.find(' ')));
    if (!n || n->kind != NoteValue::Kind::bars) return note;
    return n->number == 1 ? worded("1 bar") : worded("%1 bars", n->number);
  }
  /// The units of bars and beats that a reader types in his language, as NoteValue has them.
  static std::string inEnglish(const std::string& typed) {
    const std::string small = lower(typed);
    for (const auto& [said, written] : {std::pair{worded("%1 beats", ""), " beats"},
                                        {worded("%1 bars", ""), " bars"},
                                        {worded("1 bar").substr(1), " bar"}})
      if (const std::string unit = lower(trimmed(said)); !unit.empty() && small.ends_with(unit))
        return small.substr(0, small.size() - unit.size()) + written;
    return typed;
  }
  std::string_view name_;
  std::string unit_, words_;
  const char* shortNote_;
  double typicalMost_;
};

/// Milliseconds step along the note values too.
class MillisecondsType : public TimeType {
 public:
  using TimeType::TimeType;
  Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap& map, Beats at) const override {
    if (const double* d = v.number()) return alongNotes(*d / 1000, steps, map, at);
    return TimeType::stepped(s, v, steps, map, at);
  }
};

const MillisecondsType timeType("time", "ms", "milliseconds", "1/64t", 500);
const TimeType durationType("duration", "s", "seconds", "1/16t", 0);
const TimeType rateType("rate", "Hz", "Hz", "1/8t", 0);

} // namespace

namespace type {
const SettingType* const time = &timeType;
const SettingType* const duration = &durationType;
const SettingType* const rate = &rateType;
} // namespace type

} // namespace ivrin
