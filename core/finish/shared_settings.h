// Settings that several kinds and processors have alike.
#pragma once

#include "dsp/delay/echo_loop.h"
#include "song/settings/setting_spec.h"

namespace ivrin {

/// How echoes go between the sides, under this key: "straight", "ping-pong" or "cross".
SettingSpec echoPatternSetting(std::string key);
/// What a checked value of it means.
EchoPattern echoPatternOf(const Value& v);

/// "low_cut_hz" (a high-pass) or "high_cut_hz" (a low-pass), null for off.
SettingSpec cutSetting(bool low, std::string meaning, std::string group);

/// "wet_db": the level of what is added.
SettingSpec wetSetting(std::string meaning, std::string group);
/// "width_percent": its side against its middle.
SettingSpec widthSetting(std::string meaning, std::string group);
/// "send_percent": how much of the source is sent, over the beats.
SettingSpec sendSetting(std::string group);
/// "duck_db": turned down while the dry row sounds.
SettingSpec duckSetting(std::string group);
/// "cut_at": beats from the start where the tail is ended, null for never.
SettingSpec cutAtSetting(std::string group);
/// "remove_dry": takes the source out of the row.
SettingSpec removeDrySetting(bool initial, std::string group);
/// "tail_floor_db": the tail ends when it has fallen to this.
SettingSpec tailFloorSetting(double initial, std::string group);

} // namespace ivrin
