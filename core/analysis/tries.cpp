#include "analysis/tries.h"

#include "audio/chance.h"
#include "song/curve.h"
#include "song/settings/setting_text.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// Never varied: they place it, level it, or turn it into something else.
bool leftAlone(const SettingSpec& s) {
  return s.role == Role::leftAlone || s.role == Role::lead || s.role == Role::tailCut || s.role == Role::level;
}

/// Whether a setting is heard at all as the others stand: nobody wants a try that sounds like the last one.
bool isHeard(const TableSpec& table, const Settings& now, const std::string& key) {
  const auto text = [&](const char* k) { return *settingOr(table, now, k).text(); };
  if (table.id == "tape") {
    const std::string shape = text("shape");
    const bool locked = *settingOr(table, now, "pitch_lock").boolean();
    if (key == "lowest_semitones") return locked && shape != "custom";
    if (key == "lowest") return !locked && shape != "custom" && shape != "spin-back";
    if (key == "bottom_at") return shape == "dip" || shape == "spin-back";
    if (key == "bend") return shape != "custom";
  }
  if (table.id == "reverse-reverb") {
    const std::string space = text("space");
    if (key.starts_with("echo_")) return space != "reverb";
    if (key == "balance_percent") return space.find('-') != std::string::npos;
    if (key == "character" || key == "size_percent" || key == "damping_percent" || key == "modulation_percent")
      return space != "echo";
  }
  return true;
}

} // namespace

std::array<Ornament, kTries> fourTries(const Kind& kind, const Ornament& o, const TempoMap& map, int round) {
  std::vector<const SettingSpec*> may;
  for (const SettingSpec& s : kind.table().settings) {
    if (leftAlone(s)) continue;
    const double half = 0.5;
    if (variedSetting(
            s, settingOr(kind.table(), o.settings, s.key), [&] { return half; }, map, o.start))
      may.push_back(&s);
  }
  std::array<Ornament, kTries> tries;
  tries.fill(o);
  if (may.empty()) { // nothing to vary but its place on the dice, and its length
    for (int k = 0; k < kTries; ++k) tries[static_cast<std::size_t>(k)].seed = o.seed + k + 1;
    return tries;
  }
  for (int k = 0; k < kTries; ++k) {
    Ornament& t = tries[static_cast<std::size_t>(k)];
    for (std::uint64_t attempt = 0; attempt < 40; ++attempt) {
      Chance draw(static_cast<std::uint64_t>(o.seed) * 1000003 + static_cast<std::uint64_t>(round * kTries + k) * 8191 +
                  attempt * 131);
      t = o;
      const int changes = 2 + draw.below(3);
      for (int c = 0; c < changes; ++c) {
        const SettingSpec& s = *draw.oneOf(may);
        if (!isHeard(kind.table(), t.settings, s.key)) continue;
        const auto next = variedSetting(
            s, settingOr(kind.table(), o.settings, s.key), [&] { return draw.unit(); }, map, o.start);
        if (next) t.settings[s.key] = *next;
      }
      const auto same = [&](const Ornament& other) { return other.settings == t.settings; };
      if (!same(o) && std::none_of(tries.begin(), tries.begin() + k, same)) break;
    }
  }
  return tries;
}

} // namespace ivrin
