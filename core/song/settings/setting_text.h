// A setting's value as people read, type and step it.
#pragma once

#include "song/settings/setting_spec.h"
#include "time/note_value.h"

#include <functional>
#include <optional>

namespace ivrin {

/// "66 %", "7.0 kHz", "1/8.", "ping-pong", "yes", "as left", "curve".
std::string settingText(const SettingSpec& spec, const Value& v);
/// What a person typed: "66", "66%", "7k", "430ms", "3/16", "2 bars", "L 45", "A3", "open", "200 | 400" for two sides.
/// Nothing, with `why`, when it is not a value of this setting or out of its range.
std::optional<Value> parseSetting(const SettingSpec& spec, const std::string& typed, std::string& why);
/// The same at its place in the song: what is counted in beats may be typed as "8 s", "500 ms", "1.5 bars" or a note
/// value too; times are 1 ms to 16 bars.
std::optional<Value> parseSettingAt(const SettingSpec& spec, const std::string& typed, const TempoMap& map, Beats at,
                                    std::string& why);
/// `steps` up or down (negative): numbers by the table's step inside the range, times along the note values, choices
/// and yes/no round. A curve is moved as a whole. Null steps from a sensible place.
Value steppedSetting(const SettingSpec& spec, const Value& v, int steps, const TempoMap& map, Beats at);

/// Its values in words for the format page: "0 to 100, curve, null (as left)".
std::string settingRange(const SettingSpec& spec);
/// What may be typed for it, in the reader's words: "20 Hz to 20.0 kHz; the sides apart as “left | right”; or “open”".
std::string settingTyping(const SettingSpec& spec);
/// A few values as they may be typed: "1/8., 5/16, 180 ms", "L 45, C, R 100", "66 %"; empty where nothing is typed.
std::string settingExample(const SettingSpec& spec);
/// Legal values at random, `draw` giving numbers of 0..1; nothing where none can be made up.
std::optional<Value> anySetting(const SettingSpec& spec, const std::function<double()>& draw);
/// A musical neighbour of `now`: see SettingType::varied. Of a list one entry is varied; what is null, drawn as a curve
/// or set for each side stays.
std::optional<Value> variedSetting(const SettingSpec& spec, const Value& now, const std::function<double()>& draw,
                                   const TempoMap& map, Beats at);

} // namespace ivrin
