#include "manners/tries.h"

#include "manners/manners.h"

#include "audio/chance.h"
#include "patterns/pattern_book.h"
#include "patterns/pattern_tools.h"
#include "song/curve.h"
#include "song/settings/setting_text.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace ivrin {
namespace {

/// Never varied: they place it, level it, or turn it into something else.
bool leftAlone(const SettingSpec& s) {
  return s.role == Role::leftAlone || s.role == Role::lead || s.role == Role::tailCut || s.role == Role::level;
}

/// One setting more that is heard, by chance.
void vary(Ornament& t, const std::vector<const SettingSpec*>& may, const Manners* manners, const TempoMap& map,
          Chance& draw) {
  for (int attempt = 0; attempt < 20; ++attempt) {
    const SettingSpec& s = *draw.oneOf(may);
    if (s.shape == Shape::list || (manners && !manners->isHeard(t.settings, s.key))) continue;
    const Value now = settingOr(allKinds().find(t.kind)->table(), t.settings, s.key);
    if (const auto next = variedSetting(
            s, now, [&] { return draw.unit(); }, map, t.start)) {
      t.settings[s.key] = *next;
      return;
    }
  }
}

/// Where cells of `o` are silent those of `t` are.
Ornament silentAsIn(const Ornament& o, const Ornament& t, const Kind& kind, const SongContext& context) {
  const auto was = kind.cells({o, context}), is = kind.cells({t, context});
  const Pattern before = was->pattern(), now = is->pattern();
  const auto n = static_cast<std::size_t>(std::max<std::int64_t>(is->end() - is->first(), 0));
  if (n == 0 || n > kMostSteps || before.empty() || now.empty() ||
      std::all_of(before.begin(), before.end(), [](const PatternStep& s) { return s.sounds(); }))
    return t;
  bool alike = was->first() == is->first() && was->end() == is->end();
  for (std::int64_t k = is->first(); alike && k < is->end(); ++k) alike = was->frames(k) == is->frames(k);
  // No longer than it must be: where the cells are the same, until both come round together.
  Pattern all(alike ? std::min(n, std::lcm(before.size(), now.size())) : n);
  for (std::int64_t k = is->first(); k < is->end(); ++k) {
    PatternStep& step = all[is->place(k, all.size())];
    step = now[is->place(k, now.size())];
    const FrameRange here = is->frames(k);
    const std::int64_t there = was->at(here.begin + Frames(here.length() / 2));
    if (!before[was->place(there, before.size())].sounds()) step.level = 0;
  }
  return is->with(all);
}

/// Kinds that cut time: another pattern first, then at most one number.
std::array<Ornament, kTries> patternTries(const Kind& kind, const Ornament& o, const TempoMap& map, int round,
                                          const std::vector<const SettingSpec*>& may,
                                          const std::set<std::string>& byHand) {
  const SongContext context{map};
  const Manners* manners = mannersOf(kind.table().id);
  std::array<Ornament, kTries> tries;
  for (int k = 0; k < kTries; ++k) {
    Ornament& t = tries[static_cast<std::size_t>(k)];
    for (std::uint64_t attempt = 0; attempt < 60; ++attempt) {
      Chance draw(static_cast<std::uint64_t>(o.seed) * 1000003 + static_cast<std::uint64_t>(round * kTries + k) * 8191 +
                  attempt * 131);
      t = o;
      t.seed = o.seed + k + 1 + kTries * round; // of a glitch: another roll as well
      const auto cells = kind.cells({o, context});
      if (draw.unit() < 0.4) {
        t.settings = cells->with(draw.oneOf(shippedPatterns()).steps).settings;
      } else {
        for (int tools = 1 + draw.below(2); tools > 0; --tools)
          if (auto next = applied(draw.oneOf(patternTools()).id, *kind.cells({t, context}), map).next)
            t.settings = next->settings;
      }
      if (draw.unit() < 0.5 && !may.empty()) vary(t, may, manners, map, draw);
      for (const std::string& key : byHand) { // a tool may have changed the step's length
        const SettingSpec* s = kind.table().find(key);
        if (!s || s->shape == Shape::list) continue;
        t.settings.erase(key);
        if (const auto set = o.settings.find(key); set != o.settings.end()) t.settings.insert(*set);
      }
      t = silentAsIn(o, t, kind, context);
      const auto same = [&](const Ornament& other) { return other.settings == t.settings; };
      // A pattern that says nothing (all silent) is no try.
      if (sounding(kind.cells({t, context})->pattern()) > 0 && !same(o) &&
          std::none_of(tries.begin(), tries.begin() + k, same))
        break;
    }
  }
  return tries;
}

} // namespace

std::array<Ornament, kTries> fourTries(const Kind& kind, const Ornament& o, const TempoMap& map, int round,
                                       const std::set<std::string>& byHand) {
  const Manners* manners = mannersOf(kind.table().id);
  std::vector<const SettingSpec*> may;
  for (const SettingSpec& s : kind.table().settings) {
    if (leftAlone(s) || byHand.contains(s.key)) continue;
    const double half = 0.5;
    if (variedSetting(
            s, settingOr(kind.table(), o.settings, s.key), [&] { return half; }, map, o.start))
      may.push_back(&s);
  }
  std::array<Ornament, kTries> tries;
  tries.fill(o);
  if (kind.cuts()) return patternTries(kind, o, map, round, may, byHand);
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
      std::set<std::string> changed;
      for (int c = 0; c < changes; ++c) {
        const SettingSpec& s = *draw.oneOf(may);
        // Nobody wants a try that sounds like the last one, nor one setting turned twice as far where there are others.
        if (manners && !manners->isHeard(t.settings, s.key)) continue;
        if (may.size() > 2 && !changed.insert(s.key).second) continue;
        const auto next = variedSetting(
            s, settingOr(kind.table(), t.settings, s.key), [&] { return draw.unit(); }, map, o.start);
        if (next) t.settings[s.key] = *next;
      }
      const auto same = [&](const Ornament& other) { return other.settings == t.settings; };
      if (!same(o) && std::none_of(tries.begin(), tries.begin() + k, same)) break;
    }
  }
  return tries;
}

} // namespace ivrin
