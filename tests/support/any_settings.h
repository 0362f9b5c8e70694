// Legal settings at random, limits as often as not.
#pragma once

#include "audio/chance.h"
#include "song/settings/setting_text.h"

namespace ivrin::test {

/// About six in ten of the table's settings.
inline Settings anySettings(const TableSpec& table, Chance& chance) {
  Settings s;
  for (const SettingSpec& spec : table.settings) {
    if (chance.unit() < 0.4) continue;
    if (const auto v = anySetting(spec, [&chance] { return chance.unit(); })) s[spec.key] = *v;
  }
  return s;
}

} // namespace ivrin::test
