// Commands that change a song by words. Each writes a whole song to --out; paths mean the same from there.
#include "commands.h"
#include "opened.h"

#include "files/json.h"
#include "finish/finisher.h"
#include "import/midi_map.h"
#include "services/grid_finding.h"
#include "song/edits.h"
#include "song/grid_edits.h"
#include "time/plain_number.h"
#include "time/song_place.h"

#include <algorithm>
#include <functional>
#include <iostream>

namespace ivrin::cli {
namespace {

/// "50", "null", "[1,2]", "\"x\"" as JSON has them; everything else is a text.
Value valueOf(const std::string& text) {
  Problems none;
  if (const auto v = parseJson(text, none)) return *v;
  return Value(text);
}

/// Puts "KEY=VALUE" into an ornament, or says why not.
bool assign(Ornament& o, const std::string& assignment) {
  const auto refuse = [&](const std::string& why) {
    std::cerr << "ivrin-cli: \"" << assignment << "\": " << why << '\n';
    return false;
  };
  const std::size_t equals = assignment.find('=');
  if (equals == std::string::npos || equals == 0) return refuse("must be KEY=VALUE");
  const std::string key = assignment.substr(0, equals);
  const Value value = valueOf(assignment.substr(equals + 1));
  if (key == "name") {
    o.name = assignment.substr(equals + 1);
    return true;
  }
  if (key == "gain_db" || key == "seed") {
    if (!value.number()) return refuse("must be a number");
    if (key == "gain_db") {
      o.gainDb = *value.number();
      return true;
    }
    constexpr double kMostSeed = 9007199254740992.0; // whole numbers that a double holds
    if (!(*value.number() >= 0 && *value.number() <= kMostSeed)) return refuse("must be a whole number of 0 or more");
    o.seed = static_cast<std::int64_t>(*value.number());
    return true;
  }
  // finish.1.low_cut_hz: of the first processor.
  Settings* settings = &o.settings;
  const TableSpec* table = &allKinds().find(o.kind)->table();
  std::string last = key;
  if (key.starts_with("finish.")) {
    const std::size_t dot = key.find('.', 7);
    const NumberRead n = readNumber(std::string_view(key).substr(7, dot - 7));
    const auto place = static_cast<std::size_t>(std::max(0.0, n.value));
    if (dot == std::string::npos || !n.rest.empty() || place < 1 || place > o.finish.size())
      return refuse("its finish has " + std::to_string(o.finish.size()) + " processors: finish.N.KEY, N from 1");
    settings = &o.finish[place - 1].settings;
    table = &findFinisher(o.finish[place - 1].type)->table();
    last = key.substr(dot + 1);
  }
  const SettingSpec* spec = table->find(last);
  if (!spec) {
    std::vector<std::string> keys{"name", "gain_db", "seed"};
    for (const SettingSpec& s : table->settings) keys.push_back(s.key);
    return refuse("there is no setting \"" + last + "\"" + didYouMean(last, keys));
  }
  (*settings)[last] = value;
  return true;
}

} // namespace

int setSettings(const EditOptions& o) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  if (!isOrnament(opened->song, "ORNAMENT", o.id)) return 2;
  Ornament changed = *opened->song.ornament(o.id);
  for (const std::string& a : o.assignments)
    if (!assign(changed, a)) return 2;
  return writeEdited(*opened, withOrnamentReplaced(opened->song, changed), o.out, changed.id);
}

namespace {

/// One change to each of the ornaments that are named.
int changeEach(const EditOptions& o, const std::function<Song(Song, const std::string& id)>& change) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  Song song = opened->song;
  for (const std::string& id : o.ids) {
    if (!isOrnament(song, "ORNAMENT", id)) return 2;
    song = change(std::move(song), id);
  }
  return writeEdited(*opened, std::move(song), o.out, "");
}

} // namespace

int bypass(const EditOptions& o) {
  return changeEach(o, [&](Song song, const std::string& id) {
    Ornament changed = *song.ornament(id);
    changed.enabled = o.off;
    return withOrnamentReplaced(std::move(song), std::move(changed));
  });
}

int removeOrnaments(const EditOptions& o) {
  return changeEach(o, withoutOrnament);
}

namespace {

std::optional<Beats> placeOf(const std::string& text, const TempoMap& map) {
  const auto at = readPlace(text, map);
  if (!at) std::cerr << "ivrin-cli: --at: \"" << text << "\" is not a position. Use beats (64) or bar:beat (33:1.5)\n";
  return at;
}

} // namespace

int landing(const LandingOptions& o) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  Song song = opened->song;
  const TempoMap map = song.tempoMap();
  if (o.id.empty()) {
    const auto at = placeOf(o.at, map);
    if (!at) return 2;
    const std::string id = freshLandingId(song, o.section);
    const Landing l{id, *at, o.name};
    return writeEdited(*opened, o.section ? withSection(std::move(song), l) : withLanding(std::move(song), l), o.out,
                       id);
  }
  if (!song.landingById(o.id)) {
    std::vector<std::string> ids;
    for (const Landing& l : song.allLandings()) ids.push_back(l.id);
    std::cerr << "ivrin-cli: --id: there is no landing or section \"" << o.id << "\"" << didYouMean(o.id, ids) << '\n';
    return 2;
  }
  if (o.remove) return writeEdited(*opened, withoutLanding(std::move(song), o.id), o.out, "");
  if (!o.at.empty()) {
    const auto at = placeOf(o.at, map);
    if (!at) return 2;
    song = withLandingMoved(std::move(song), o.id, *at);
  }
  if (!o.name.empty()) song = withLandingNamed(std::move(song), o.id, o.name);
  return writeEdited(*opened, std::move(song), o.out, o.id);
}

namespace {

/// Whether an entry may be removed there; why not is said.
template <class Entry> bool isRemovable(const std::vector<Entry>& entries, Beats at) {
  const bool there = std::any_of(entries.begin(), entries.end(), [&](const Entry& e) { return e.at == at; });
  if (there && at != Beats(0)) return true;
  std::cerr << "ivrin-cli: --at: " << (there ? "the first entry cannot be removed" : "there is no entry") << '\n';
  return false;
}

/// One change at a place; it returns the exit status, not 0 where it has said why not.
int changeAt(const MapOptions& o, const std::function<int(Song&, Beats)>& change) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  Song song = opened->song;
  const auto at = placeOf(o.at, song.tempoMap());
  if (!at) return 2;
  if (const int status = change(song, *at); status != 0) return status;
  return writeEdited(*opened, std::move(song), o.out, "");
}

} // namespace

int tempoEntry(const MapOptions& o) {
  return changeAt(o, [&](Song& song, Beats at) {
    if (!o.remove && !o.bpm) {
      std::cerr << "ivrin-cli: give --bpm or --remove\n";
      return 2;
    }
    if (o.remove && !isRemovable(song.tempo, at)) return 2;
    song = o.remove ? withoutTempoAt(std::move(song), at) : withTempoFrom(std::move(song), at, *o.bpm);
    return 0;
  });
}

int meter(const MapOptions& o) {
  return changeAt(o, [&](Song& song, Beats at) {
    if (o.remove && !isRemovable(song.meter, at)) return 2;
    if (o.remove) {
      song = withoutMeterAt(std::move(song), at);
    } else {
      const NumberRead count = readNumber(o.meter);
      const NumberRead unit = readNumber(count.rest.starts_with('/') ? count.rest.substr(1) : "");
      if (!count.rest.starts_with('/') || !unit.rest.empty() || count.value < 1 || unit.value < 1) {
        std::cerr << "ivrin-cli: --meter: \"" << o.meter << "\" is not a time signature. Use for example 3/4 or 7/8\n";
        return 2;
      }
      if (song.tempoMap().barStart(song.tempoMap().barAt(at).bar) != at) {
        std::cerr << "ivrin-cli: --at: a time signature can only change on a bar line\n";
        return 1;
      }
      song = withMeterFrom(std::move(song), at, static_cast<int>(count.value), static_cast<int>(unit.value));
    }
    return 0;
  });
}

int grid(const GridOptions& o) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  Song song = opened->song;
  if (!o.midi.empty()) {
    Problems problems;
    const auto map = readMidiFile(o.midi, problems);
    say(o.midi, problems);
    if (!map) return 1;
    song = withMidiMap(std::move(song), *map);
  } else {
    const FoundGrid found = findGrid(song, opened->audio, 2);
    if (!hasTempo(found)) {
      std::cerr << "ivrin-cli: tempo detection failed: no steady beat found. Give the tempo with the command tempo\n";
      return 1;
    }
    song = onGrid(std::move(song), found);
  }
  if (!o.keepBeats) song = keptOnSound(opened->song, std::move(song));
  return writeEdited(*opened, std::move(song), o.out, "");
}

} // namespace ivrin::cli
