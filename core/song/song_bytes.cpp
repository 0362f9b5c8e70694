#include "song/song_bytes.h"

#include "song/each_settings.h"

namespace ivrin {
namespace {

std::size_t bytesOf(const Value& v) {
  std::size_t n = sizeof(Value);
  if (const auto* text = v.text()) n += text->capacity();
  if (const auto* list = v.list())
    for (const Value& one : *list) n += bytesOf(one);
  if (const auto* object = v.object())
    for (const auto& [key, value] : *object) n += sizeof key + key.capacity() + bytesOf(value);
  return n;
}

std::size_t bytesOf(const Ornament& o) {
  constexpr std::size_t kEntry = 64; // of a map, beside key and value
  std::size_t n = sizeof(Ornament) + o.name.capacity() + o.source.size() * sizeof(SourcePiece);
  eachSettings(o, [&](const std::string&, const Settings& settings, const std::string&) {
    for (const auto& [key, value] : settings) n += kEntry + key.capacity() + bytesOf(value);
  });
  return n;
}

} // namespace

std::int64_t ownBytes(const Song& song, const Song& before) {
  std::size_t n = sizeof(Song) + song.tempo.size() * sizeof(TempoEntry) + song.meter.size() * sizeof(MeterEntry);
  for (const auto* list : {&song.sections, &song.landings})
    for (const Landing& l : *list) n += sizeof(Landing) + l.id.size() + l.name.size();
  for (const Bus& b : song.buses) n += sizeof(Bus) + b.name.size();
  for (const Stem& s : song.stems) n += sizeof(Stem) + s.name.size() + s.digest.size() + (s.file ? s.file->size() : 0);
  for (std::size_t i = 0; i < song.ornaments.size(); ++i)
    if (i >= before.ornaments.size() || song.ornaments[i].get() != before.ornaments[i].get())
      n += bytesOf(*song.ornaments[i]);
  return static_cast<std::int64_t>(n);
}

} // namespace ivrin
