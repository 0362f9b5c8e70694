#include "finish/echo_pattern.h"

namespace ivrin {

SettingSpec echoPatternSetting(std::string key) {
  SettingSpec s;
  s.key = std::move(key);
  s.label = "pattern";
  s.type = SettingType::choice;
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

} // namespace ivrin
