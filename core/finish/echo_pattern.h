// The choice of how echoes go between the sides: one setting, of the delay throw, the echo of a swell and of a finish.
#pragma once

#include "dsp/echo_loop.h"
#include "song/setting_spec.h"

namespace ivrin {

/// The setting in a table, under this key: "straight", "ping-pong" or "cross".
SettingSpec echoPatternSetting(std::string key);
/// What a checked value of it means.
EchoPattern echoPatternOf(const Value& v);

} // namespace ivrin
