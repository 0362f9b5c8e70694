// What a setting's values may be: one small class for each type. Nothing outside these classes asks which type it is.
// All functions see one value: null, pairs, lists, sides and curves are the spec's matter (setting_spec.cpp,
// setting_text.cpp).
#pragma once

#include "song/settings/setting_spec.h"
#include "time/tempo_map.h"

#include <functional>

namespace ivrin {

/// Of a list of runs, [[note value, count]].
inline constexpr std::size_t kMostRuns = 64, kMostOfARun = 64;

/// The next number by chance, 0..1, never 1.
using Draw = const std::function<double()>&;

class SettingType {
 public:
  virtual ~SettingType() = default;
  /// As `ivrin-cli kinds` names it.
  virtual std::string_view name() const = 0;
  virtual void check(const SettingSpec& s, const Value& v, const std::string& place, Problems& problems) const = 0;
  /// As people read it.
  virtual std::string text(const SettingSpec& s, const Value& v) const = 0;
  /// What was typed, trimmed; need not be in range. Nothing where it is no value of this type.
  virtual std::optional<Value> parse(const SettingSpec& s, const std::string& typed) const = 0;
  /// Why a legal value does not fit at this place of the song, in words; empty: it does.
  virtual std::string refusalAt(const SettingSpec&, const Value&, const TempoMap&, Beats) const { return {}; }
  /// The song file's version that brought this way of writing one.
  virtual int since(const Value&) const { return 1; }
  /// One that may be typed for it: "5/16", "L 45", "A3". The default's text where that says enough.
  virtual std::string example(const SettingSpec& s) const;
  /// So many steps further.
  virtual Value stepped(const SettingSpec& s, const Value& v, int steps, const TempoMap& map, Beats at) const = 0;
  /// Its values in words for the format page: "0 to 100", "note value or ms".
  virtual std::string range(const SettingSpec& s) const = 0;
  /// How they are typed, in the reader's words: "0 % to 100 %", "straight, ping-pong, cross".
  virtual std::string typing(const SettingSpec& s) const { return range(s); }
  /// The range in short, after the type's name: " 0..100 %", ": note value or milliseconds", " up | down".
  virtual std::string brief(const SettingSpec& s) const = 0;
  /// min and max mean something.
  virtual bool bounded() const { return false; }
  /// Legal, limits as often as not; nothing where none can be made up.
  virtual std::optional<Value> atRandom(const SettingSpec& s, Draw draw) const = 0;
  /// A musical neighbour of `now`: numbers at most a quarter of their range or a third of themselves away, note values
  /// at most two places. Nothing where chance has no say.
  virtual std::optional<Value> varied(const SettingSpec& s, const Value& now, Draw draw, const TempoMap& map,
                                      Beats at) const = 0;
  /// A click goes on to the next value, where others are typed.
  virtual bool turns() const { return false; }
  /// Its value is picked from what is there, a step is not enough.
  virtual bool picked() const { return false; }
  /// It is drawn by hand and has no number.
  virtual bool drawn() const { return false; }
  /// Its value is the id of a row.
  virtual bool namesRow() const { return false; }
};

} // namespace ivrin
