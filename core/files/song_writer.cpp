#include "files/audio_folders.h"
#include "files/json.h"
#include "files/song_file.h"
#include "files/song_parts.h"
#include "song/each_settings.h"
#include "song/edits.h"
#include "time/plain_number.h"

#include <algorithm>

namespace ivrin {
namespace {

/// A beat as the number with the fewest digits that reads back to the same tick.
Value beatValue(Beats b) {
  return Value(readNumber(shortestBeats(b)).value);
}
Value textOrNull(const std::optional<std::string>& s) {
  return s ? Value(*s) : Value();
}

Object settingsObject(const Settings& s) {
  Object o;
  for (const auto& [key, value] : s) o.emplace_back(key, value);
  return o;
}

void addRowMix(Object& o, const RowMix& m) {
  o.emplace_back("gain_db", m.gainDb);
  o.emplace_back("pan", m.pan);
  o.emplace_back("mute", m.mute);
  o.emplace_back("solo", m.solo);
}

List finishList(const std::vector<Processor>& chain) {
  List l;
  for (const auto& p : chain) {
    Object o{{"type", p.type}};
    for (const auto& [key, value] : p.settings) o.emplace_back(key, value);
    l.emplace_back(std::move(o));
  }
  return l;
}

List landingList(const std::vector<Landing>& landings) {
  List l;
  for (const auto& x : landings) l.emplace_back(Object{{"id", x.id}, {"at", beatValue(x.at)}, {"name", x.name}});
  return l;
}

Value sourceValue(const Ornament& o) {
  List pieces;
  for (const auto& p : o.source)
    pieces.emplace_back(Object{{"row", textOrNull(p.row)},
                               {"start", beatValue(p.start)},
                               {"length", beatValue(p.length)},
                               {"send_db", p.sendDb}});
  if (pieces.empty()) return {};
  return pieces.size() == 1 ? pieces.front() : Value(std::move(pieces));
}

} // namespace

Value ornamentValue(const Ornament& o) {
  List variants;
  for (const auto& v : o.variants)
    variants.emplace_back(Object{{"slot", v.slot},
                                 {"settings", Value(settingsObject(v.settings))},
                                 {"finish", Value(finishList(v.finish))},
                                 {"gain_db", v.gainDb}});
  Object object{{"id", o.id},
                {"kind", o.kind},
                {"on", o.on},
                {"start", beatValue(o.start)},
                {"length", beatValue(o.length)},
                {"name", o.name},
                {"enabled", o.enabled},
                {"gain_db", o.gainDb},
                {"seed", static_cast<double>(o.seed)},
                {"landing", textOrNull(o.landing)},
                {"hears", o.hears == Hears::dry ? "dry" : "row"},
                {"source", sourceValue(o)},
                {"variant", o.variant},
                {"settings", Value(settingsObject(o.settings))},
                {"finish", Value(finishList(o.finish))},
                {"variants", Value(std::move(variants))}};
  if (o.recipe)
    object.emplace_back("recipe",
                        Object{{"name", o.recipe->name},
                               {"landing", o.recipe->landing},
                               {"options", Object{{"density", o.recipe->density}, {"length", o.recipe->length}}}});
  return object;
}

int lowestVersion(const Song& song, const Registry& registry) {
  const auto named = [](const auto& rows) {
    return std::any_of(rows.begin(), rows.end(), [](const auto& r) { return r.role.has_value(); });
  };
  int version = song.leadBars > 0 || song.hzLaw == CurveLaw::log || named(song.stems) || named(song.buses) ? 2 : 1;
  const auto holds = [&](const TableSpec* table, const Settings& settings) {
    if (!table) return;
    version = std::max(version, table->since);
    for (const auto& [key, value] : settings)
      if (const SettingSpec* spec = table->find(key)) version = std::max(version, spec->sinceWith(value));
  };
  for (const auto& o : song.ornaments) {
    if (o->recipe) version = std::max(version, 2);
    eachSettings(*o, [&](const std::string& type, const Settings& settings, const std::string&) {
      holds(type.empty() ? registry.kind(o->kind) : registry.processor(type), settings);
    });
  }
  return version;
}

std::string writeSong(const Song& song, const Registry& registry) {
  Object root{{"format", "ivrin-song"},
              {"version", lowestVersion(song, registry)},
              {"title", song.title},
              {"sample_rate", song.sampleRate},
              {"start_seconds", song.startSeconds}};
  if (song.leadBars > 0) root.emplace_back("lead_bars", song.leadBars);
  if (song.hzLaw == CurveLaw::log) root.emplace_back("hz_law", "log");
  root.emplace_back("key", song.key
                               ? Value(Object{{"note", song.key->note}, {"mode", song.key->minor ? "minor" : "major"}})
                               : Value());
  List tempo, meter, buses, stems, ornaments;
  for (const auto& t : song.tempo) tempo.emplace_back(Object{{"at", beatValue(t.at)}, {"bpm", t.bpm}});
  for (const auto& m : song.meter)
    meter.emplace_back(Object{{"at", beatValue(m.at)}, {"count", m.count}, {"unit", m.unit}});
  for (const auto& b : song.buses) {
    Object o{{"id", b.id}, {"name", b.name}};
    addRowMix(o, b.mix);
    if (b.role) o.emplace_back("role", roleWord(*b.role));
    buses.emplace_back(std::move(o));
  }
  for (const auto& s : song.stems) {
    Object o{{"id", s.id}, {"name", s.name}, {"file", textOrNull(s.file)}, {"offset_seconds", s.offsetSeconds}};
    addRowMix(o, s.mix);
    o.emplace_back("bus", textOrNull(s.bus));
    if (s.role) o.emplace_back("role", roleWord(*s.role));
    if (!s.digest.empty()) o.emplace_back("digest", s.digest);
    if (s.frames) o.emplace_back("frames", static_cast<double>(*s.frames));
    stems.emplace_back(std::move(o));
  }
  for (const auto& o : song.ornaments) ornaments.push_back(ornamentValue(*o));
  root.emplace_back("tempo", std::move(tempo));
  root.emplace_back("meter", std::move(meter));
  root.emplace_back("sections", landingList(song.sections));
  root.emplace_back("landings", landingList(song.landings));
  root.emplace_back("buses", std::move(buses));
  root.emplace_back("stems", std::move(stems));
  root.emplace_back(
      "mix",
      Object{{"gain_db", song.mix.gainDb}, {"ceiling_dbtp", song.mix.ceilingDbtp}, {"limiter", song.mix.limiter}});
  root.emplace_back("ornaments", std::move(ornaments));
  return prettyJson(root);
}

std::string writeSongFor(const Song& song, const Registry& registry, const std::filesystem::path& folder) {
  return writeSong(withPaths(song, [&](const std::string& path) { return pathForSong(path, folder); }), registry);
}

} // namespace ivrin
