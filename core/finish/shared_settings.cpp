#include "finish/shared_settings.h"

namespace ivrin {

SettingSpec echoPatternSetting(std::string key) {
  SettingSpec s;
  s.key = std::move(key);
  s.label = "pattern";
  s.type = type::choice;
  s.initial = "straight";
  s.meaning = "How the echoes go between the sides.";
  s.group = "echo";
  s.choices = {"straight", "ping-pong", "cross"};
  return s;
}

EchoPattern echoPatternOf(const Value& v) {
  const std::string& p = *v.text();
  return p == "cross" ? EchoPattern::cross : p == "ping-pong" ? EchoPattern::pingPong : EchoPattern::straight;
}

SettingSpec cutSetting(bool low, const std::string& what, std::string group) {
  SettingSpec s;
  s.key = low ? "low_cut_hz" : "high_cut_hz";
  s.label = low ? "lows cut" : "highs cut";
  s.unit = "Hz";
  s.min = 20;
  s.max = 20000;
  s.meaning = (low ? "High-pass " : "Low-pass ") + what;
  s.group = std::move(group);
  s.step = low ? 10 : 250;
  s.nullable = true;
  s.whenNull = "open";
  s.fromNull = low ? std::pair(20.0, 80.0) : std::pair(12000.0, 20000.0);
  return s;
}

} // namespace ivrin
