// Legal settings at random, limits as often as not.
#pragma once

#include "audio/chance.h"
#include "song/setting_spec.h"

namespace ivrin::test {

/// About six in ten of the table's settings.
inline Settings anySettings(const TableSpec& table, Chance& chance) {
  Settings s;
  const auto number = [&](double min, double max) {
    return chance.unit() < 0.4 ? (chance.unit() < 0.5 ? min : max) : min + (max - min) * chance.unit();
  };
  for (const SettingSpec& spec : table.settings) {
    if (chance.unit() < 0.4) continue;
    switch (spec.type) {
    case SettingType::number:
      s[spec.key] = number(spec.min, spec.max);
      break;
    case SettingType::boolean:
      s[spec.key] = chance.unit() < 0.5;
      break;
    case SettingType::choice:
      s[spec.key] = chance.oneOf(spec.choices);
      break;
    case SettingType::time:
      s[spec.key] = chance.unit() < 0.5 ? Value(1.0 + 500 * chance.unit() * chance.unit()) : Value("1/64t");
      break;
    case SettingType::duration:
      s[spec.key] = chance.unit() < 0.5 ? Value(number(spec.min, spec.max)) : Value("1/16t");
      break;
    case SettingType::rate:
      s[spec.key] = chance.unit() < 0.5 ? Value(number(spec.min, spec.max)) : Value("1/8t");
      break;
    case SettingType::bands:
      s[spec.key] = List{Object{{"freq_hz", number(20, 20000)}, {"gain_db", number(-24, 24)}, {"q", number(0.1, 20)}},
                         Object{{"freq_hz", 800.0}, {"gain_db", 6.0}, {"q", 1.0}}};
      break;
    case SettingType::text:
      if (!spec.choices.empty()) s[spec.key] = spec.choices.back();
      break;
    }
  }
  return s;
}

} // namespace ivrin::test
