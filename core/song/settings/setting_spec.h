// One table per ornament kind or finish processor describes every setting once. Reading files, `ivrin-cli kinds`, the
// open row's numbers, the words of undo, tries and answers to collisions all come from these tables.
//
// What a value of a setting may be is its type's matter (setting_type.h), together with its shape: one value, a pair or
// a list; and besides that, where the spec says so, null, [left, right], or a curve.
#pragma once

#include "song/problem.h"
#include "song/value.h"

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace ivrin {

class SettingType;

/// Each is one small object (setting_type.h).
namespace type {
extern const SettingType* const number;   // a double in min..max; `choices` are words allowed besides
extern const SettingType* const integer;  // a whole number in min..max
extern const SettingType* const pan;      // a number in −1..1, left to right
extern const SettingType* const note;     // a MIDI note, a whole number in min..max
extern const SettingType* const yesNo;    // true or false
extern const SettingType* const choice;   // one of `choices`
extern const SettingType* const time;     // a note value, or milliseconds in min..max
extern const SettingType* const duration; // a note value, or seconds in min..max
extern const SettingType* const rate;     // a note value (one turn takes it), or Hz in min..max
extern const SettingType* const bands;    // up to 8 objects {"freq_hz", "gain_db", "q"}
extern const SettingType* const file;     // a path, or one of `choices`, which ship; its key ends in "_file"
extern const SettingType* const row;      // the id of a row
extern const SettingType* const pattern;  // up to 64 pairs [note value, count 1..64]
extern const SettingType* const fade;     // percent of a step in min..max, or {"ms": 0..1000}
} // namespace type

/// Newest version of the song file that this Ivrin reads. A version grows by additions alone; each says with `since`
/// which one brought it, and a song is written as the lowest that holds it.
inline constexpr int kSongVersion = 3;

/// What a setting means to code that is not its kind's own.
enum class Role {
  none,
  feedback,  // goes round a loop: lowered where a tail must be gone sooner, never raised to running away by chance
  decay,     // how long a space rings: shortened likewise
  tailCut,   // beats from the start where the tail is ended
  duck,      // dB by which the print gives way to the dry row
  lead,      // beats that it sounds before its landing
  level,     // how loud it is: what a first press fits
  leftAlone, // places it or turns it into something else: tries do not vary it
};

/// How many values a setting has.
enum class Shape {
  one,
  pair, // [from, to]
  list, // 1 to `most` values
};

struct SettingSpec {
  std::string key{};
  std::string label{}; // as the interface says it: "feedback"
  std::string unit{};  // "%", "dB", "Hz", "st", "beats", "" …
  const SettingType* type = type::number;
  double min = 0;
  double max = 0;
  Value initial{}; // the default in the file
  std::string meaning{};
  std::string group{};                    // which line of the open row it stands on
  bool percent = false;                   // a share of 1 that is read and typed in percent
  double step = 1;                        // one step of the wheel or the arrow keys
  std::vector<std::string> choices{};     // words; of a number, besides numbers
  std::vector<std::string> shown{};       // how they read where otherwise than in the file; of a yes or no: no, yes
  bool named = false;                     // choices that none of `shown` reads are names, the same in every language
  std::vector<std::string> notByChance{}; // choices that need something drawn or picked first
  std::vector<double> stops{};            // of a number: where the wheel and the arrow keys stop, ascending
  Shape shape = Shape::one;
  std::size_t most = 1024; // entries of a list
  bool entriesNullable = false;
  bool nullable = false;
  std::string whenNull{};                              // how null reads: "off", "same as left", "silence"
  std::optional<std::pair<double, double>> fromNull{}; // where a step down and a step up from null lead
  std::string sameAs{};                                // the setting whose value null stands for
  std::optional<std::pair<double, double>> usual{};    // what an axis shows while no more is used
  bool curve = false;                                  // a list of curve points is allowed too
  bool curveWithinSource = false; // the curve is heard from the source's start to its end, and nothing is after it
  bool perSide = false;           // [left, right] is allowed too
  bool curveOverSpan = false;     // the curve's x runs 0..1 over the span instead of in beats
  Role role = Role::none;
  int since = 1;                 // the song file's version that brought it
  int nullSince = 1;             // and the one that allowed null
  std::vector<double> atFirst{}; // of a number: all that it could be before `restSince`
  int restSince = 1;
  /// Which one this value of it needs.
  int sinceWith(const Value& v) const;
};

struct TableSpec {
  std::string id{};   // "delay-throw"
  std::string name{}; // "Delay throw"
  std::string key{};  // the key in the sign strip
  std::string meaning{};
  std::vector<SettingSpec> settings{};
  int since = 1; // the song file's version that brought it
  const SettingSpec* find(std::string_view key) const;
  SettingSpec& add(SettingSpec s) { return settings.emplace_back(std::move(s)); }
  /// The first setting of that role; nothing where there is none.
  const SettingSpec* withRole(Role role) const;
};

/// What a song may contain, handed to the reader; made from the lists in ornaments/ and finish/.
struct Registry {
  std::vector<TableSpec> kinds;
  std::vector<TableSpec> processors;
  const TableSpec* kind(std::string_view id) const;
  const TableSpec* processor(std::string_view id) const;
};

/// Reports every way in which `v` is not allowed for `spec`.
void checkSetting(const SettingSpec& spec, const Value& v, const std::string& place, Problems& problems);
/// Checks names and values of a whole settings object, as a song file of `version` may have them.
void checkSettings(const TableSpec& table, const Settings& settings, const std::string& place, Problems& problems,
                   int version = kSongVersion);
/// Why something that a later version brought is not taken from a file of `version`.
std::string newerThan(int since, int version);
/// The value set, or the table's default.
const Value& settingOr(const TableSpec& table, const Settings& settings, std::string_view key);
/// Whether a setting of this key holds a path: what is renamed when a song is saved elsewhere.
inline bool namesFile(std::string_view key) {
  return key.ends_with("_file");
}

} // namespace ivrin
