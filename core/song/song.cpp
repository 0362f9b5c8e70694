#include "song/song.h"

#include "words/words.h"

#include <charconv>

#include <algorithm>

namespace ivrin {

const char* noteName(int note) {
  static constexpr const char* kNotes[] = {"C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"};
  return kNotes[note % 12];
}

std::string keyText(const Key& key) {
  return key.minor ? worded("%1 minor", noteName(key.note)) : worded("%1 major", noteName(key.note));
}
namespace {

template <class Items> auto findById(const Items& items, const std::string& id) -> decltype(&*items.begin()) {
  const auto it = std::find_if(items.begin(), items.end(), [&](const auto& x) { return x.id == id; });
  return it == items.end() ? nullptr : &*it;
}

} // namespace

const Stem* Song::stem(const std::string& id) const {
  return findById(stems, id);
}
const Bus* Song::bus(const std::string& id) const {
  return findById(buses, id);
}

bool isId(std::string_view s) {
  if (s.empty() || s.size() > 64 || s == "." || s == "..") return false;
  return std::all_of(s.begin(), s.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '.' || c == '_' ||
           c == '-';
  });
}

const Ornament* Song::ornament(const std::string& id) const {
  for (const auto& o : ornaments)
    if (o->id == id) return o.get();
  return nullptr;
}

RowMix Song::rowMix(const std::string& id) const {
  if (const auto* s = stem(id)) return s->mix;
  if (const auto* b = bus(id)) return b->mix;
  return {};
}

Frames Song::firstFrame() const {
  return Frames(-std::llround(leadBars * leadBarSeconds() * sampleRate));
}

std::string Song::rowName(const std::string& id) const {
  if (const auto* s = stem(id)) return s->name;
  if (const auto* b = bus(id)) return b->name;
  return id == kMixRow ? worded("Mix") : id;
}

std::vector<std::string> Song::rowsInScoreOrder() const {
  std::vector<std::string> rows;
  std::vector<std::string> done;
  for (const auto& s : stems) {
    if (!s.bus) {
      rows.push_back(s.id);
      continue;
    }
    if (std::find(done.begin(), done.end(), *s.bus) != done.end()) continue;
    done.push_back(*s.bus);
    for (const auto& member : stems)
      if (member.bus == s.bus) rows.push_back(member.id);
    rows.push_back(*s.bus);
  }
  for (const auto& b : buses)
    if (std::find(done.begin(), done.end(), b.id) == done.end()) rows.push_back(b.id);
  rows.emplace_back(kMixRow);
  return rows;
}

std::vector<Landing> Song::allLandings() const {
  std::vector<Landing> all = sections;
  all.insert(all.end(), landings.begin(), landings.end());
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.at < b.at; });
  return all;
}

std::optional<Landing> Song::landingAfter(Beats at) const {
  for (Landing& l : allLandings())
    if (l.at > at) return std::move(l);
  return std::nullopt;
}

std::optional<Landing> Song::landingById(const std::string& id) const {
  if (const auto* s = findById(sections, id)) return *s;
  if (const auto* l = findById(landings, id)) return *l;
  return std::nullopt;
}

const Stem* stemAtPlace(const Song& song, std::string_view place) {
  constexpr std::string_view kList = "stems[";
  std::size_t i = 0;
  if (!place.starts_with(kList)) return nullptr;
  place.remove_prefix(kList.size());
  const auto read = std::from_chars(place.data(), place.data() + place.size(), i);
  return read.ec == std::errc() && i < song.stems.size() ? &song.stems[i] : nullptr;
}

} // namespace ivrin
