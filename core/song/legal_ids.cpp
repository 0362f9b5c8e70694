#include "song/legal_ids.h"

#include "song/each_settings.h"
#include "song/settings/setting_type.h"

#include <algorithm>
#include <unordered_map>
#include <unordered_set>

namespace ivrin {
namespace {

constexpr std::size_t kRoomForNumber = 8; // of an id's 64 characters

/// What can stay of it.
std::string likeness(const std::string& id) {
  std::string s;
  for (const char c : id.substr(0, 64 - kRoomForNumber)) {
    const bool fine = isId(std::string(1, c)) || c == '.';
    if (fine)
      s += c;
    else if (!s.empty() && s.back() != '-')
      s += '-';
  }
  while (!s.empty() && (s.front() == '.' || s.front() == '-')) s.erase(0, 1);
  while (!s.empty() && s.back() == '-') s.pop_back();
  return s.empty() ? "id" : s;
}

/// The ids of one space of names, and what became of those that could not stay.
class IdSpace {
 public:
  void know(const std::string& id) { taken_.insert(id); }
  /// To be asked once all are known.
  bool mend(std::string& id) {
    if (isId(id)) return false;
    const std::string base = likeness(id);
    std::string is = base;
    for (int n = 2; !taken_.insert(is).second; ++n) is = base + "-" + std::to_string(n);
    is_.emplace(id, is);
    id = is;
    return true;
  }
  void follow(std::string& id) const {
    if (const auto it = is_.find(id); it != is_.end()) id = it->second;
  }
  bool any() const { return !is_.empty(); }

 private:
  std::unordered_set<std::string> taken_;
  std::unordered_map<std::string, std::string> is_;
};

} // namespace

Song withLegalIds(Song song, const Registry& registry,
                  const std::function<void(const std::string&, const std::string&, const std::string&)>& told) {
  IdSpace rows, lands, ornaments;
  rows.know(kMixRow);
  for (const Bus& b : song.buses) rows.know(b.id);
  for (const Stem& s : song.stems) rows.know(s.id);
  for (const auto* list : {&song.sections, &song.landings})
    for (const Landing& l : *list) lands.know(l.id);
  for (const auto& o : song.ornaments) ornaments.know(o->id);

  const auto mend = [&](IdSpace& space, std::string& id, const char* list, std::size_t i) {
    const std::string was = id;
    if (space.mend(id)) told(std::string(list) + "[" + std::to_string(i) + "].id", was, id);
  };
  for (std::size_t i = 0; i < song.buses.size(); ++i) mend(rows, song.buses[i].id, "buses", i);
  for (std::size_t i = 0; i < song.stems.size(); ++i) mend(rows, song.stems[i].id, "stems", i);
  for (std::size_t i = 0; i < song.sections.size(); ++i) mend(lands, song.sections[i].id, "sections", i);
  for (std::size_t i = 0; i < song.landings.size(); ++i) mend(lands, song.landings[i].id, "landings", i);
  std::vector<std::string> named(song.ornaments.size());
  for (std::size_t i = 0; i < named.size(); ++i) {
    named[i] = song.ornaments[i]->id;
    mend(ornaments, named[i], "ornaments", i);
  }
  if (!rows.any() && !lands.any() && !ornaments.any()) return song;

  for (Stem& s : song.stems)
    if (s.bus) rows.follow(*s.bus);
  const auto followSettings = [&](const TableSpec* table, Settings& settings) {
    for (auto& [key, value] : settings) {
      const SettingSpec* spec = table ? table->find(key) : nullptr;
      if (!spec || !spec->type->namesRow() || !value.text()) continue;
      std::string row = *value.text();
      rows.follow(row);
      value = Value(std::move(row));
    }
  };
  std::vector<Shared<Ornament>> all;
  all.reserve(song.ornaments.size());
  for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
    Ornament o = *song.ornaments[i];
    o.id = named[i];
    rows.follow(o.on);
    for (SourcePiece& piece : o.source)
      if (piece.row) rows.follow(*piece.row);
    if (o.landing) lands.follow(*o.landing);
    eachSettings(o, [&](const std::string& type, Settings& settings, const std::string&) {
      followSettings(type.empty() ? registry.kind(o.kind) : registry.processor(type), settings);
    });
    all.emplace_back(std::move(o));
  }
  song.ornaments = Chunked(all);
  return song;
}

} // namespace ivrin
