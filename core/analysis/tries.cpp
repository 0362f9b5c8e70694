#include "analysis/tries.h"

#include "audio/chance.h"
#include "song/curve.h"
#include "song/setting_text.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// Never varied: they place it, level it, or turn it into something else.
bool leftAlone(const SettingSpec& s) {
  static const char* const keys[] = {"land",          "lead_beats",     "remove_dry",
                                     "cut_at",        "wet_db",         "word_db",
                                     "tail_floor_db", "hold_silence",   "fit",
                                     "halt_at",       "mix_percent",    "tail_seconds",
                                     "dry",           "depth_db",       "loop_ceiling_db",
                                     "send_percent",  "freeze",         "impulse_file",
                                     "speed",         "level_left_db",  "level_right_db",
                                     "invert_right",  "reverse_source", "fade",
                                     "spill_db"};
  if (s.type == SettingType::text || s.type == SettingType::bands || s.type == SettingType::boolean) return true;
  return std::any_of(std::begin(keys), std::end(keys), [&](const char* k) { return s.key == k; });
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

Value varied(const SettingSpec& s, const Value& now, const Ornament& o, const TempoMap& map, Chance& draw) {
  if (s.type == SettingType::choice) {
    std::vector<std::string> others;
    for (const auto& c : s.choices)
      if (!now.text() || c != *now.text())
        if (c != "custom" && c != "impulse") others.push_back(c);
    return others.empty() ? now : Value(draw.oneOf(others));
  }
  if (s.type == SettingType::time || s.type == SettingType::duration || s.type == SettingType::rate) {
    if (now.text())
      return steppedSetting(s, now, draw.unit() < 0.5 ? -1 - draw.below(2) : 1 + draw.below(2), map, o.start);
    if (now.number() && *now.number() > 0)
      return Value(std::clamp(*now.number() * std::exp2((draw.unit() - 0.5) * 1.2), s.min, s.max));
    return now;
  }
  if (!s.allowed.empty()) return steppedSetting(s, now, draw.unit() < 0.5 ? -1 : 1, map, o.start);
  if (const double* d = now.number()) {
    const double span = s.unit == "Hz" ? *d / 3 : std::min((s.max - s.min) / 4, std::max(std::abs(*d) / 3, 4 * s.step));
    const double by = (draw.unit() < 0.5 ? -1 : 1) * span * (0.4 + 0.6 * draw.unit());
    double next = *d + by;
    if (next < s.min || next > s.max) next = *d - by;
    // A percentage that feeds back must not run away by chance.
    const double most = s.key.starts_with("feedback") ? std::min(s.max, std::max(*d, 85.0)) : s.max;
    return Value(std::clamp(std::round(next / s.step) * s.step, s.min, most));
  }
  return now;
}

} // namespace

std::array<Ornament, kTries> fourTries(const Kind& kind, const Ornament& o, const TempoMap& map, int round) {
  std::vector<const SettingSpec*> may;
  for (const SettingSpec& s : kind.table().settings) {
    if (leftAlone(s)) continue;
    const Value& now = settingOr(kind.table(), o.settings, s.key);
    if (now.isNull() || now.list()) continue; // what is open, or drawn, stays
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
        t.settings[s.key] = varied(s, settingOr(kind.table(), t.settings, s.key), o, map, draw);
      }
      const auto same = [&](const Ornament& other) { return other.settings == t.settings; };
      if (!same(o) && std::none_of(tries.begin(), tries.begin() + k, same)) break;
    }
  }
  return tries;
}

} // namespace ivrin
