// Settings that several kinds and processors have alike.
#pragma once

#include "dsp/echo_loop.h"
#include "song/settings/setting_spec.h"

namespace ivrin {

/// How echoes go between the sides, under this key: "straight", "ping-pong" or "cross".
SettingSpec echoPatternSetting(std::string key);
/// What a checked value of it means.
EchoPattern echoPatternOf(const Value& v);

/// "low_cut_hz" (a high-pass) or "high_cut_hz" (a low-pass), null for open. `what` ends the sentence: "of the space".
SettingSpec cutSetting(bool low, const std::string& what, std::string group);

} // namespace ivrin
