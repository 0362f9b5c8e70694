#include "song/edits.h"

#include <algorithm>
#include <cctype>

namespace ivrin {

Song withOrnament(Song song, Ornament o) {
  song.ornaments.emplace_back(std::move(o));
  return song;
}

Song withoutOrnament(Song song, const std::string& id) {
  std::erase_if(song.ornaments, [&](const auto& o) { return o->id == id; });
  return song;
}

Song withOrnamentReplaced(Song song, Ornament o) {
  for (auto& slot : song.ornaments)
    if (slot->id == o.id) {
      slot = Shared<Ornament>(std::move(o));
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
  for (auto& slot : song.ornaments)
    if (slot->landing == id) {
      Ornament o = *slot;
      o.start = o.start + by;
      slot = Shared<Ornament>(std::move(o));
    }
  return song;
}

Song withStem(Song song, Stem s) {
  song.stems.push_back(std::move(s));
  return song;
}

std::string freshOrnamentId(const Song& song) {
  for (std::size_t n = song.ornaments.size() + 1;; ++n)
    if (std::string id = "o" + std::to_string(n); !song.ornament(id)) return id;
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
  while (!base.empty() && base.back() == '-') base.pop_back();
  if (base.empty()) base = "row";
  std::string id = base;
  for (int n = 2; song.hasRow(id); ++n) id = base + "-" + std::to_string(n);
  return id;
}

} // namespace ivrin
