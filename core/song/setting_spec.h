// One table per ornament kind or finish processor describes every setting once. Reading files, `ivrin-cli kinds`,
// the open row's numbers and the words of undo all come from these tables.
#pragma once

#include "song/problem.h"
#include "song/value.h"

#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

enum class SettingType {
  number, // double in min..max
  boolean,
  choice,   // one of `choices`
  time,     // a note value, or milliseconds in min..max
  duration, // a note value, or seconds in min..max
  rate,     // a note value (one turn takes it), or Hz in min..max
  bands,    // up to 8 objects {"freq_hz", "gain_db", "q"}
  text,     // any text; `choices` are those that are known
};

struct SettingSpec {
  std::string key;
  std::string label; // as the interface says it: "feedback"
  std::string unit;  // "%", "dB", "Hz", "st", "beats", "" …
  SettingType type = SettingType::number;
  double min = 0;
  double max = 0;
  Value initial; // the default in the file
  std::string meaning;
  std::string group;                  // which line of the open row it stands on
  double step = 1;                    // one step of the wheel or the arrow keys
  std::vector<std::string> choices{}; // of a number: words that are allowed besides
  bool nullable = false;
  std::string whenNull{};        // how null reads: "open", "as left", "–"
  bool curve = false;            // a list of curve points is allowed too
  bool perSide = false;          // [left, right] is allowed too
  bool curveOverSpan = false;    // the curve's x runs 0..1 over the span instead of in beats
  std::vector<double> allowed{}; // of a number: these alone, ascending
};

struct TableSpec {
  std::string id;   // "delay-throw"
  std::string name; // "Delay throw"
  std::string key;  // the key in the sign strip
  std::string meaning;
  std::vector<SettingSpec> settings;
  const SettingSpec* find(std::string_view key) const;
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
/// Checks names and values of a whole settings object.
void checkSettings(const TableSpec& table, const Settings& settings, const std::string& place, Problems& problems);
/// The value set, or the table's default.
const Value& settingOr(const TableSpec& table, const Settings& settings, std::string_view key);

} // namespace ivrin
