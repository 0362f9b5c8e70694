#include "song/edits.h"

#include "song/each_settings.h"
#include "song/settings/setting_spec.h"

#include <algorithm>
#include <cctype>

namespace ivrin {

namespace {

/// Every ornament that is picked, changed.
template <class Pick, class Change> void changeEach(Song& song, Pick pick, Change change) {
  for (std::size_t i = 0; i < song.ornaments.size(); ++i)
    if (pick(*song.ornaments[i])) {
      Ornament o = *song.ornaments[i];
      change(o);
      song.ornaments.set(i, std::move(o));
    }
}

} // namespace

Song withOrnament(Song song, Ornament o) {
  song.ornaments.push_back(std::move(o));
  return song;
}

WithOrnaments withOrnaments(Song song, std::vector<Ornament> ornaments) {
  WithOrnaments w{std::move(song), {}};
  for (Ornament& o : ornaments) {
    o.id = freshOrnamentId(w.song);
    w.ids.push_back(o.id);
    w.song.ornaments.push_back(std::move(o));
  }
  return w;
}

Song withoutOrnament(Song song, const std::string& id) {
  song.ornaments.eraseIf([&](const auto& o) { return o->id == id; });
  return song;
}

Song withOrnamentsRemoved(Song song, const std::vector<std::string>& ids) {
  for (const std::string& id : ids) song = withoutOrnament(std::move(song), id);
  return song;
}

Song withOrnamentReplaced(Song song, Ornament o) {
  for (std::size_t i = 0; i < song.ornaments.size(); ++i)
    if (song.ornaments[i]->id == o.id) {
      song.ornaments.set(i, std::move(o));
      break;
    }
  return song;
}

Song withSetting(Song song, const std::string& id, const std::string& key, Value v) {
  if (const Ornament* found = song.ornament(id)) {
    Ornament o = *found;
    o.settings[key] = std::move(v);
    return withOrnamentReplaced(std::move(song), std::move(o));
  }
  return song;
}

Song withRowMix(Song song, const std::string& row, RowMix mix) {
  for (auto& s : song.stems)
    if (s.id == row) s.mix = mix;
  for (auto& b : song.buses)
    if (b.id == row) b.mix = mix;
  return song;
}

Song withLandingMoved(Song song, const std::string& id, Beats to) {
  Beats by;
  for (auto* list : {&song.sections, &song.landings}) {
    for (auto& l : *list)
      if (l.id == id) {
        by = to - l.at;
        l.at = to;
      }
    std::stable_sort(list->begin(), list->end(), [](const auto& a, const auto& b) { return a.at < b.at; });
  }
  if (by.ticks == 0) return song;
  changeEach(
      song, [&](const Ornament& o) { return o.landing == id; }, [&](Ornament& o) { o.start = o.start + by; });
  return song;
}

namespace {

Song withPlace(Song song, Landing l, bool section) {
  auto& list = section ? song.sections : song.landings;
  list.insert(std::upper_bound(list.begin(), list.end(), l, [](const auto& a, const auto& b) { return a.at < b.at; }),
              std::move(l));
  return song;
}

} // namespace

Song withSection(Song song, Landing l) {
  return withPlace(std::move(song), std::move(l), true);
}

Song withLanding(Song song, Landing l) {
  return withPlace(std::move(song), std::move(l), false);
}

Song withLandingNamed(Song song, const std::string& id, const std::string& name) {
  for (auto* list : {&song.sections, &song.landings})
    for (auto& l : *list)
      if (l.id == id) l.name = name;
  return song;
}

Song withoutLanding(Song song, const std::string& id) {
  for (auto* list : {&song.sections, &song.landings}) std::erase_if(*list, [&](const auto& l) { return l.id == id; });
  changeEach(
      song, [&](const Ornament& o) { return o.landing == id; }, [](Ornament& o) { o.landing.reset(); });
  changeEach(
      song, [&](const Ornament& o) { return o.recipe && o.recipe->landing == id; },
      [](Ornament& o) { o.recipe.reset(); });
  return song;
}

Song withOrnamentsShifted(Song song, const std::vector<std::string>& ids, Beats by) {
  if (by.ticks == 0) return song;
  changeEach(
      song, [&](const Ornament& o) { return std::find(ids.begin(), ids.end(), o.id) != ids.end(); },
      [&](Ornament& o) { o.start = o.start + by; });
  return song;
}

Song withOrnamentAt(Song song, const std::string& id, std::size_t order) {
  const auto& all = song.ornaments;
  const auto from = std::find_if(all.begin(), all.end(), [&](const auto& o) { return o->id == id; });
  if (from == all.end()) return song;
  const Shared<Ornament> moved = *from;
  song.ornaments.erase(static_cast<std::size_t>(from - all.begin()));
  std::size_t seen = 0, to = 0;
  std::size_t afterLast = all.size(); // after the last one of the row, so that other rows keep their order
  for (; to < all.size(); ++to)
    if (all[to]->on == moved->on) {
      if (seen == order) break;
      ++seen;
      afterLast = to + 1;
    }
  song.ornaments.insert(to == all.size() ? afterLast : to, moved);
  return song;
}

std::size_t orderOnRow(const Song& song, const std::string& id) {
  const Ornament* o = song.ornament(id);
  std::size_t n = 0;
  if (!o) return n;
  for (const auto& other : song.ornaments) {
    if (other->id == id) break;
    if (other->on == o->on) ++n;
  }
  return n;
}

Song withVariant(Song song, const std::string& id, const std::string& slot) {
  const Ornament* found = song.ornament(id);
  if (!found || found->variant == slot) return song;
  Ornament o = *found;
  const Variant former{o.variant, o.settings, o.finish, o.gainDb};
  const auto stored = std::find_if(o.variants.begin(), o.variants.end(), [&](const auto& v) { return v.slot == slot; });
  if (stored != o.variants.end()) {
    o.settings = stored->settings;
    o.finish = stored->finish;
    o.gainDb = stored->gainDb;
    o.variants.erase(stored);
  }
  o.variant = slot;
  o.variants.insert(std::upper_bound(o.variants.begin(), o.variants.end(), former,
                                     [](const auto& a, const auto& b) { return a.slot < b.slot; }),
                    former);
  return withOrnamentReplaced(std::move(song), std::move(o));
}

Song withoutVariant(Song song, const std::string& id, const std::string& slot) {
  const Ornament* found = song.ornament(id);
  if (!found) return song;
  Ornament o = *found;
  std::erase_if(o.variants, [&](const auto& v) { return v.slot == slot; });
  return withOrnamentReplaced(std::move(song), std::move(o));
}

Song withStem(Song song, Stem s) {
  song.stems.push_back(std::move(s));
  return song;
}

std::string freshOrnamentId(const Song& song) {
  for (std::size_t n = song.ornaments.size() + 1;; ++n)
    if (std::string id = "o" + std::to_string(n); !song.ornament(id)) return id;
}

std::string freshLandingId(const Song& song, bool section) {
  const auto& list = section ? song.sections : song.landings;
  for (std::size_t n = list.size() + 1;; ++n)
    if (std::string id = (section ? "s" : "l") + std::to_string(n); !song.landingById(id)) return id;
}

std::string freshRowId(const Song& song, const std::string& name) {
  std::string base;
  for (const char ch : name) {
    const auto c = static_cast<unsigned char>(ch);
    if (std::isalnum(c))
      base += static_cast<char>(std::tolower(c));
    else if (!base.empty() && base.back() != '-')
      base += '-';
  }
  constexpr std::size_t kRoomForNumber = 8; // of the 64 characters an id may have
  if (base.size() > 64 - kRoomForNumber) base.resize(64 - kRoomForNumber);
  while (!base.empty() && base.back() == '-') base.pop_back();
  if (base.empty()) base = "row";
  std::string id = base;
  for (int n = 2; song.hasRow(id); ++n) id = base + "-" + std::to_string(n);
  return id;
}

namespace {

/// True when a path was changed.
bool changePaths(Settings& settings, const std::function<std::string(const std::string&)>& change) {
  bool changed = false;
  for (auto& [key, value] : settings) {
    if (!namesFile(key) || !value.text() || value.text()->starts_with("shipped:")) continue;
    const std::string next = change(*value.text());
    changed = changed || next != *value.text();
    value = Value(next);
  }
  return changed;
}

} // namespace

Song withPaths(Song song, const std::function<std::string(const std::string&)>& change) {
  for (Stem& s : song.stems)
    if (s.file) s.file = change(*s.file);
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    Ornament o = *song.ornaments[i];
    bool changed = false;
    eachSettings(o, [&](const std::string&, Settings& settings, const std::string&) {
      changed = changePaths(settings, change) || changed;
    });
    if (changed) song.ornaments.set(i, std::move(o)); // what has none keeps its storage
  }
  return song;
}

} // namespace ivrin
