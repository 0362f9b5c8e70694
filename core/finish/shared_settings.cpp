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
  s.meaning = "What lies " + std::string(low ? "under" : "over") + " this is cut " + what;
  s.group = std::move(group);
  s.step = low ? 10 : 250;
  s.nullable = true;
  s.whenNull = "open";
  s.fromNull = low ? std::pair(20.0, 80.0) : std::pair(12000.0, 20000.0);
  return s;
}

SettingSpec wetSetting(const std::string& what, std::string group) {
  return {.key = "wet_db",
          .label = "wet",
          .unit = "dB",
          .min = -60,
          .max = 12,
          .initial = 0,
          .meaning = "How loud " + what + ".",
          .group = std::move(group),
          .step = 0.5,
          .role = Role::level};
}

SettingSpec widthSetting(const std::string& what, std::string group) {
  return {.key = "width_percent",
          .label = "width",
          .unit = "%",
          .max = 200,
          .initial = 100,
          .meaning = "How wide " + what + ": 0 is mono, 100 as it came.",
          .group = std::move(group),
          .step = 5};
}

SettingSpec sendSetting(std::string group) {
  return {.key = "send_percent",
          .label = "send",
          .unit = "%",
          .max = 100,
          .initial = 100,
          .meaning = "How much of the source is sent.",
          .group = std::move(group),
          .curve = true,
          .curveWithinSource = true,
          .role = Role::leftAlone};
}

SettingSpec duckSetting(std::string group) {
  return {.key = "duck_db",
          .label = "duck",
          .unit = "dB",
          .max = 48,
          .initial = 0,
          .meaning = "How far it is turned down while the dry row sounds.",
          .group = std::move(group),
          .step = 0.5,
          .role = Role::duck};
}

SettingSpec cutAtSetting(std::string group) {
  return {.key = "cut_at",
          .label = "cut at",
          .unit = "beats",
          .min = 1.0 / 64,
          .max = 4096,
          .meaning = "It is ended there, counted in beats from the start.",
          .group = std::move(group),
          .step = 0.25,
          .nullable = true,
          .whenNull = "–",
          .role = Role::tailCut};
}

SettingSpec removeDrySetting(bool initial, std::string group) {
  return {.key = "remove_dry",
          .label = "dry",
          .type = type::yesNo,
          .initial = initial,
          .meaning = "Whether the row keeps what was taken, or has it removed.",
          .group = std::move(group),
          .shown = {"kept", "removed"},
          .role = Role::leftAlone};
}

SettingSpec tailFloorSetting(double initial, std::string group) {
  return {.key = "tail_floor_db",
          .label = "tail floor",
          .unit = "dB",
          .min = -120,
          .max = -30,
          .initial = initial,
          .meaning = "The tail ends when it has fallen to this.",
          .group = std::move(group),
          .role = Role::leftAlone};
}

} // namespace ivrin
