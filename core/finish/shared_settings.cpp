#include "finish/shared_settings.h"

namespace ivrin {

SettingSpec echoPatternSetting(std::string key) {
  SettingSpec s;
  s.key = std::move(key);
  s.label = "stereo";
  s.type = type::choice;
  s.initial = "straight";
  s.meaning = "How echoes move between left and right: dual keeps each side to itself, ping-pong alternates, dual "
              "ping-pong crosses both sides over.";
  s.group = "delay";
  s.choices = {"straight", "ping-pong", "cross"};
  s.shown = {"dual", "ping-pong", "dual ping-pong"};
  return s;
}

EchoPattern echoPatternOf(const Value& v) {
  const std::string& p = *v.text();
  return p == "cross" ? EchoPattern::cross : p == "ping-pong" ? EchoPattern::pingPong : EchoPattern::straight;
}

SettingSpec cutSetting(bool low, std::string meaning, std::string group) {
  SettingSpec s;
  s.key = low ? "low_cut_hz" : "high_cut_hz";
  s.label = low ? "low cut" : "high cut";
  s.unit = "Hz";
  s.min = 20;
  s.max = 20000;
  s.meaning = std::move(meaning);
  s.group = std::move(group);
  s.step = low ? 10 : 250;
  s.nullable = true;
  s.whenNull = "off";
  s.fromNull = low ? std::pair(20.0, 80.0) : std::pair(12000.0, 20000.0);
  return s;
}

SettingSpec wetSetting(std::string meaning, std::string group) {
  return {.key = "wet_db",
          .label = "wet",
          .unit = "dB",
          .min = -60,
          .max = 12,
          .initial = 0,
          .meaning = std::move(meaning),
          .group = std::move(group),
          .step = 0.5,
          .role = Role::level};
}

SettingSpec widthSetting(std::string meaning, std::string group) {
  return {.key = "width_percent",
          .label = "width",
          .unit = "%",
          .max = 200,
          .initial = 100,
          .meaning = std::move(meaning),
          .group = std::move(group),
          .step = 5};
}

SettingSpec sendSetting(std::string group) {
  return {.key = "send_percent",
          .label = "send",
          .unit = "%",
          .max = 100,
          .initial = 100,
          .meaning = "How much of the source goes into the effect. Draw a curve to send only parts of it.",
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
          .meaning = "Turns the effect down while the dry row plays: higher keeps the row clearer.",
          .group = std::move(group),
          .step = 0.5,
          .role = Role::duck};
}

SettingSpec cutAtSetting(std::string group) {
  return {.key = "cut_at",
          .label = "cut tail at",
          .unit = "beats",
          .min = 1.0 / 64,
          .max = 4096,
          .meaning = "Cuts the tail at this beat, counted from the start of the ornament.",
          .group = std::move(group),
          .step = 0.25,
          .nullable = true,
          .whenNull = "off",
          .role = Role::tailCut};
}

SettingSpec removeDrySetting(bool initial, std::string group) {
  return {.key = "remove_dry",
          .label = "dry",
          .type = type::yesNo,
          .initial = initial,
          .meaning = "Keeps the source in its row, or removes it so that only the effect is heard.",
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
          .meaning = "Level at which the tail counts as silent and ends.",
          .group = std::move(group),
          .role = Role::leftAlone};
}

} // namespace ivrin
