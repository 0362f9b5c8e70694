#include "song/row_edits.h"

#include "song/each_settings.h"
#include "song/edits.h"
#include "song/settings/setting_type.h"

#include <algorithm>

namespace ivrin {
namespace {

std::size_t placeOf(const std::optional<RowRole>& role) {
  // What is not known stands with the harmony.
  return 2 * static_cast<std::size_t>(role.value_or(RowRole::harmony)) + (role ? 0 : 1);
}

std::vector<Stem>::iterator find(Song& song, const std::string& stem) {
  return std::find_if(song.stems.begin(), song.stems.end(), [&](const Stem& s) { return s.id == stem; });
}

} // namespace

Song withRowsByRole(Song song) {
  std::stable_sort(song.stems.begin(), song.stems.end(),
                   [](const Stem& a, const Stem& b) { return placeOf(a.role) < placeOf(b.role); });
  return song;
}

std::optional<RowRole> roleOfRow(const Song& song, const std::string& row) {
  if (const Stem* s = song.stem(row)) return s->role ? s->role : roleOfName(s->name);
  if (const Bus* b = song.bus(row)) return b->role ? b->role : roleOfName(b->name);
  return std::nullopt;
}

Song withRole(Song song, const std::string& row, std::optional<RowRole> role) {
  for (Stem& s : song.stems)
    if (s.id == row) s.role = role;
  for (Bus& b : song.buses)
    if (b.id == row) b.role = role;
  return song;
}

Song withRowName(Song song, const std::string& row, const std::string& name) {
  for (Stem& s : song.stems)
    if (s.id == row) s.name = name;
  for (Bus& b : song.buses)
    if (b.id == row) b.name = name;
  return song;
}

Song withRowBefore(Song song, const std::string& row, const std::string& before) {
  if (row == before || row == kMixRow) return song;
  // The score shows a bus where its first stem stands: whole groups move.
  struct Group {
    std::optional<std::string> bus;
    std::vector<Stem> stems;
  };
  std::vector<Group> groups;
  for (const Stem& s : song.stems) {
    const auto own =
        std::find_if(groups.begin(), groups.end(), [&](const Group& g) { return s.bus && g.bus == s.bus; });
    if (own != groups.end())
      own->stems.push_back(s);
    else
      groups.push_back({s.bus, {s}});
  }
  const auto holds = [](const Group& g, const std::string& id) {
    return g.bus == id || std::any_of(g.stems.begin(), g.stems.end(), [&](const Stem& s) { return s.id == id; });
  };
  const auto from = std::find_if(groups.begin(), groups.end(), [&](const Group&g) { return holds(g, row); }),
             to = std::find_if(groups.begin(), groups.end(), [&](const Group&g) { return holds(g, before); });
  if (from == groups.end()) { // a bus without stems
    const auto a = std::find_if(song.buses.begin(), song.buses.end(), [&](const Bus& b) { return b.id == row; });
    auto b = std::find_if(song.buses.begin(), song.buses.end(), [&](const Bus& x) { return x.id == before; });
    if (a == song.buses.end()) return song;
    const Bus moved = *a;
    const std::string next = b == song.buses.end() ? std::string() : b->id;
    song.buses.erase(a);
    b = std::find_if(song.buses.begin(), song.buses.end(), [&](const Bus& x) { return x.id == next; });
    song.buses.insert(b, moved);
    return song;
  }
  const bool within = from == to && from->bus && row != *from->bus;
  if (within) { // among those of its bus; before the bus itself: the last of them
    auto& stems = from->stems;
    const auto own = std::find_if(stems.begin(), stems.end(), [&](const Stem& s) { return s.id == row; });
    const Stem moved = *own;
    stems.erase(own);
    stems.insert(std::find_if(stems.begin(), stems.end(), [&](const Stem& s) { return s.id == before; }), moved);
  } else if (from != to) {
    const Group moved = *from;
    const std::string next = to == groups.end() ? std::string() : to->stems.front().id;
    groups.erase(from);
    groups.insert(std::find_if(groups.begin(), groups.end(), [&](const Group& g) { return holds(g, next); }), moved);
  }
  song.stems.clear();
  for (Group& g : groups)
    for (Stem& s : g.stems) song.stems.push_back(std::move(s));
  return song;
}

Song withStemOnBus(Song song, const std::string& stem, const std::optional<std::string>& bus) {
  const auto own = find(song, stem);
  if (own == song.stems.end() || own->bus == bus || (bus && !song.bus(*bus))) return song;
  Stem moved = *own;
  moved.bus = bus;
  const auto last =
      bus ? std::find_if(song.stems.rbegin(), song.stems.rend(), [&](const Stem& s) { return s.bus == bus; })
          : song.stems.rend();
  if (last == song.stems.rend()) { // the first on its bus, or off it: where it stands
    *own = std::move(moved);
    return song;
  }
  const std::string behind = last->id;
  song.stems.erase(own);
  song.stems.insert(find(song, behind) + 1, std::move(moved));
  return song;
}

Song withBus(Song song, Bus bus) {
  song.buses.push_back(std::move(bus));
  return song;
}

int ornamentsOn(const Song& song, const std::string& row) {
  return static_cast<int>(
      std::count_if(song.ornaments.begin(), song.ornaments.end(), [&](const auto& o) { return o->on == row; }));
}

Song withoutRow(Song song, const std::string& row, const Registry& registry) {
  std::erase_if(song.stems, [&](const Stem& s) { return s.id == row; });
  std::erase_if(song.buses, [&](const Bus& b) { return b.id == row; });
  for (Stem& s : song.stems)
    if (s.bus == row) s.bus.reset();
  song.ornaments.eraseIf([&](const auto& o) { return o->on == row; });
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    Ornament o = *song.ornaments[i];
    bool changed = false;
    for (SourcePiece& p : o.source)
      if (p.row == row) {
        p.row.reset();
        changed = true;
      }
    eachSettings(o, [&](const std::string& type, Settings& settings, const std::string&) {
      const TableSpec* table = type.empty() ? registry.kind(o.kind) : registry.processor(type);
      for (auto& [key, value] : settings) {
        const SettingSpec* spec = table ? table->find(key) : nullptr;
        if (!spec || !spec->type->namesRow() || !value.text() || *value.text() != row) continue;
        value = Value();
        changed = true;
      }
    });
    if (changed) song.ornaments.set(i, std::move(o));
  }
  return song;
}

} // namespace ivrin
