#include "manners/runaway.h"

#include "manners/manners.h"
#include "song/edits.h"

#include <algorithm>
#include <unordered_set>

namespace ivrin {
namespace {

constexpr int kMostBars = 8;

Beats endFor(const Song& song, const Ornament& o) {
  const TempoMap map = song.tempoMap();
  const Beats done = o.span().end;
  const std::int64_t bar = map.barAt(done).bar;
  const Beats late = map.barStart(bar + kMostBars + (map.barStart(bar) < done ? 1 : 0));
  const auto landing = song.landingAfter(done);
  return landing ? std::min(landing->at, late) : late;
}

/// What makes it grow, where nothing cuts it; nothing where something does.
std::vector<std::string_view> runsAwayBy(const Ornament& o) {
  const auto cut = o.settings.find("cut_at");
  const Manners* manners = mannersOf(o.kind);
  if (!manners || (cut != o.settings.end() && !cut->second.isNull())) return {};
  return manners->growsBy(o.settings);
}

} // namespace

Song withRunawaysEnded(const Song& now, Song next, std::vector<std::string>* ended) {
  std::unordered_set<const Ornament*> known; // the same value, wherever it stands in the list
  for (const auto& o : now.ornaments) known.insert(o.get());
  std::vector<Ornament> cut;
  for (const auto& o : next.ornaments) {
    if (known.contains(o.get())) continue;
    const auto by = runsAwayBy(*o);
    if (by.empty()) continue;
    const Ornament* was = now.ornament(o->id);
    const TableSpec& table = allKinds().find(o->kind)->table();
    // What makes it grow is as it was: it has run away before, or its end was taken away on purpose.
    if (was && was->kind == o->kind && std::all_of(by.begin(), by.end(), [&](std::string_view key) {
          return settingOr(table, was->settings, key) == settingOr(table, o->settings, key);
        }))
      continue;
    Ornament one = *o;
    one.settings["cut_at"] = (endFor(next, one) - one.start).quarters();
    cut.push_back(std::move(one));
  }
  for (Ornament& one : cut) {
    if (ended) ended->push_back(one.id);
    next = withOrnamentReplaced(std::move(next), std::move(one));
  }
  return next;
}

Song withEndTakenBack(const Song& given, Song next, const std::string& ornament) {
  const Ornament *had = given.ornament(ornament), *is = next.ornament(ornament);
  const Manners* manners = is ? mannersOf(is->kind) : nullptr;
  if (!had || !manners || !manners->growsBy(is->settings).empty()) return next;
  const auto end = had->settings.find("cut_at"), stands = is->settings.find("cut_at");
  if (end == had->settings.end() || stands == is->settings.end() || !(end->second == stands->second)) return next;
  Ornament whole = *is;
  whole.settings.erase("cut_at");
  return withOrnamentReplaced(std::move(next), std::move(whole));
}

} // namespace ivrin
