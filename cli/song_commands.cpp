// Commands that read or write a song.
#include "commands.h"
#include "opened.h"

#include "files/json.h"
#include "files/safe_file.h"
#include "files/targets.h"
#include "import/midi_map.h"
#include "manners/lead.h"
#include "render/export.h"
#include "render/open_song.h"
#include "services/grid_finding.h"
#include "song/limits.h"
#include "time/plain_number.h"
#include "time/song_place.h"

#include <algorithm>
#include <cmath>
#include <future>
#include <iostream>
#include <tuple>

namespace ivrin::cli {
namespace fs = std::filesystem;
namespace {

/// The files of stems whose copy in the cache is not what was written; it goes, and is made anew next time.
std::vector<std::string> verifyStems(const OpenedSong& opened) {
  const StemStore store(StemStore::defaultFolder());
  std::vector<std::string> damaged;
  for (const Stem& s : opened.song.stems)
    if (const auto& audio = opened.audio.of(s.id); audio && !audio->verify()) {
      store.forget(*audio);
      damaged.push_back(*s.file);
    }
  return damaged;
}

constexpr double kNoTempo = 120; // of a song that has none

std::string bpmText(double bpm) {
  return roundNumber(std::round(bpm * 100) / 100, 6);
}

/// Of several tempi: how many, and between which.
std::string said(const std::vector<TempoEntry>& tempi) {
  const auto [least, most] =
      std::minmax_element(tempi.begin(), tempi.end(), [](const auto& a, const auto& b) { return a.bpm < b.bpm; });
  return std::to_string(tempi.size()) + " tempo changes from " + bpmText(least->bpm) + " to " + bpmText(most->bpm) +
         " BPM";
}

/// What was found, in one line.
std::string said(const FoundGrid& g) {
  if (g.curve)
    return "played without a click: " + said(tempiOf(*g.curve)) + " follow it, bar 1 at " +
           fixedNumber(g.curve->beats.front(), 3) + " s, " + std::to_string(g.curve->beatsInBar) +
           " beats in a bar (confidence " + fixedNumber(g.curve->confidence, 2) + ", of the bar " +
           fixedNumber(g.curve->barConfidence, 2) + ")";
  if (!g.tempo || g.tempo->confidence < kLeastConfidence)
    return "tempo detection failed: no steady beat found" +
           std::string(g.tempo ? " (at most " + fixedNumber(g.tempo->bpm, 2) + " BPM, confidence " +
                                     fixedNumber(g.tempo->confidence, 2) + ")"
                               : "");
  std::string text = roundNumber(g.tempo->bpm, 6) + " BPM, bar 1 at " + fixedNumber(g.tempo->barOneSeconds, 3) +
                     " s, " + std::to_string(g.tempo->beatsInBar) + " beats in a bar (confidence " +
                     fixedNumber(g.tempo->confidence, 2) + ", of the bar " + fixedNumber(g.tempo->barConfidence, 2) +
                     ")";
  if (g.key && g.key->confidence >= kLeastConfidence)
    text += "; key " + keyText(g.key->key) + " (" + fixedNumber(g.key->confidence, 2) + "), if not " +
            keyText(g.key->key.relative());
  return text;
}

} // namespace

namespace {

List listOfTempi(const std::vector<TempoEntry>& tempi) {
  List list;
  for (const TempoEntry& e : tempi) list.emplace_back(Object{{"at", e.at.quarters()}, {"bpm", e.bpm}});
  return list;
}

/// What a Standard MIDI File says of the song's time.
int tempoOfMidi(const std::string& file, bool json) {
  Problems problems;
  const auto map = readMidiFile(file, problems);
  for (const Problem& p : problems.list) std::cerr << (p.isError ? "ivrin-cli: " : "note: ") << p.text() << '\n';
  if (!map) return 1;
  if (!json) {
    std::cout << (map->tempo.size() == 1 ? bpmText(map->tempo.front().bpm) + " BPM" : said(map->tempo)) << ", "
              << map->meter.front().count << '/' << map->meter.front().unit
              << (map->meter.size() > 1 ? " first, " + std::to_string(map->meter.size()) + " meters" : "") << '\n';
    return 0;
  }
  List meters;
  for (const MeterEntry& m : map->meter)
    meters.emplace_back(Object{{"at", m.at.quarters()}, {"count", m.count}, {"unit", m.unit}});
  Value key;
  if (map->key) key = Object{{"note", map->key->note}, {"mode", std::string(map->key->minor ? "minor" : "major")}};
  std::cout << prettyJson(Object{{"bpm", map->tempo.front().bpm},
                                 {"confidence", 1.0},
                                 {"bar_one_seconds", 0.0},
                                 {"beats_in_bar", map->meter.front().count},
                                 {"alternatives", Value(List())},
                                 {"key", std::move(key)},
                                 {"tempo", Value(listOfTempi(map->tempo))},
                                 {"meter", Value(std::move(meters))}});
  return 0;
}

} // namespace

int tempo(const std::vector<std::string>& files, bool json) {
  for (const std::string& f : files)
    if (isMidiName(f)) return tempoOfMidi(f, json);
  const StemStore store(StemStore::defaultFolder());
  Problems problems;
  const Song song = songFromFiles({files.begin(), files.end()}, kNoTempo, 0, store, problems).song;
  AudioFolders folders;
  for (const Stem& s : song.stems) folders.allowed.push_back(fs::path(*s.file).parent_path());
  const SongAudio audio = SongAudio::open(song, folders, store, problems);
  for (const Problem& p : problems.list) std::cerr << (p.isError ? "ivrin-cli: " : "note: ") << p.text() << '\n';
  if (problems.hasErrors()) return 1;
  const FoundGrid found = findGrid(song, audio, 2);
  if (!json) {
    std::cout << said(found) << '\n';
    if (found.tempo) {
      std::string other;
      for (const double bpm : found.tempo->alternatives)
        other += (other.empty() ? "or " : ", ") + roundNumber(std::round(bpm * 100) / 100, 6);
      std::cout << "  " << other << " BPM\n";
    }
    return 0;
  }
  const auto hundredths = [](double v) { return std::round(v * 100) / 100; };
  List alternatives;
  if (found.tempo)
    for (const double bpm : found.tempo->alternatives) alternatives.emplace_back(hundredths(bpm));
  Value key;
  if (found.key)
    key = Object{{"note", found.key->key.note},
                 {"mode", std::string(found.key->key.minor ? "minor" : "major")},
                 {"confidence", hundredths(found.key->confidence)}};
  Value curve; // where it was not played to a click
  if (found.curve)
    curve = Object{{"confidence", hundredths(found.curve->confidence)},
                   {"bar_one_seconds", std::round(found.curve->beats.front() * 1e4) / 1e4},
                   {"beats_in_bar", found.curve->beatsInBar},
                   {"bar_confidence", hundredths(found.curve->barConfidence)},
                   {"tempo", Value(listOfTempi(tempiOf(*found.curve)))}};
  std::cout << prettyJson(
      Object{{"bpm", found.tempo ? Value(found.tempo->bpm) : Value()},
             {"confidence", found.tempo ? hundredths(found.tempo->confidence) : 0.0},
             {"bar_one_seconds", found.tempo ? Value(std::round(found.tempo->barOneSeconds * 1e4) / 1e4) : Value()},
             {"beats_in_bar", found.tempo ? Value(found.tempo->beatsInBar) : Value()},
             {"bar_confidence", found.tempo ? hundredths(found.tempo->barConfidence) : 0.0},
             {"alternatives", Value(std::move(alternatives))},
             {"key", std::move(key)},
             {"curve", std::move(curve)}});
  return 0;
}

int newSong(const NewOptions& o) {
  const StemStore store(StemStore::defaultFolder());
  Problems problems;
  const fs::path out = plainPath(o.out);
  NewSong made =
      songFromFiles({o.files.begin(), o.files.end()}, o.bpm.value_or(kNoTempo), o.sampleRate, store, problems);
  Song song = std::move(made.song);
  if (made.apart) std::cerr << "note: stems placed at their time stamps\n";
  song.title = out.stem().string();
  // Brought in now, so that what is written can be read: broken and missing sound is refused here.
  AudioFolders folders{out.parent_path(), {}};
  for (const Stem& s : song.stems) folders.allowed.push_back(fs::path(*s.file).parent_path());
  SongAudio audio;
  if (!problems.hasErrors()) audio = SongAudio::open(song, folders, store, problems);
  FoundGrid found;
  if (!problems.hasErrors() && !o.bpm) {
    found = findGrid(song, audio, 2);
    if (made.gridFrom.empty()) {
      if (made.bpm) song.tempo.front().bpm = *made.bpm; // where none is heard
      song = onGrid(std::move(song), found);
      std::cerr << "note: " << said(found) << '\n';
    } else {
      song = withHeardKey(std::move(song), found);
      std::cerr << "note: tempo and time signature come from " << made.gridFrom << '\n';
    }
  }
  song = withHeardRoles(std::move(song), found);
  for (const Problem& p : problems.list) std::cerr << (p.isError ? "ivrin-cli: " : "note: ") << p.text() << '\n';
  if (problems.hasErrors()) return 1;
  for (const Stem& s : song.stems)
    if (fs::path(pathForSong(*s.file, out.parent_path())).is_absolute())
      std::cerr << "note: " << *s.file << " is outside the song folder; other commands need --reach "
                << fs::path(*s.file).parent_path().string() << '\n';
  if (const std::string what = whatItIs(out); !what.empty()) {
    std::cerr << "ivrin-cli: " << o.out << " already exists (" << what << ")\n";
    return 1;
  }
  if (!writeSongFile(song, out)) return 1;
  std::cerr << "wrote " << o.out << " with " << song.stems.size() << " stems\n";
  return 0;
}

int check(const SongOptions& o) {
  Problems problems;
  const auto opened = open(o, problems);
  if (opened) {
    PrintCache cache;
    const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache, nullptr, &problems);
    completePrints(*plan, 2);
    for (const std::string& file : verifyStems(*opened))
      problems.error(ErrorId::broken_audio, "stems",
                     file + ": its cached copy was damaged and was removed. Check again");
    for (const auto& n : plan->nodes()) {
      const std::string place = "ornament \"" + n->ornament->id + "\"";
      if (n->print && n->print->complete() && n->print->end() > n->print->first() &&
          soundsBefore(plan->song(), n->print->first()))
        problems.note(ErrorId::out_of_range, place,
                      "starts before the song and is faded in there; \"lead_bars\" of " +
                          std::to_string(leadBarsFor(plan->song(), n->print->first())) + " would make room for it");
      if (n->print && !n->print->note().empty()) problems.note(ErrorId::out_of_range, place, n->print->note());
    }
    for (const auto& [id, mix] : [&] {
           std::vector<std::pair<std::string, RowMix>> rows;
           for (const auto& s : opened->song.stems) rows.emplace_back(s.id, s.mix);
           for (const auto& b : opened->song.buses) rows.emplace_back(b.id, b.mix);
           return rows;
         }())
      if (mix.solo) problems.note(ErrorId::out_of_range, id + ".solo", "is soloed; exports ignore solo");
  }
  if (o.json) {
    List list;
    for (const Problem& p : problems.list)
      list.emplace_back(Object{
          {"id", std::string(errorName(p.id))}, {"error", p.isError}, {"place", p.place}, {"message", p.message}});
    std::cout << prettyJson(Object{{"file", o.song}, {"problems", Value(std::move(list))}});
  } else {
    for (const Problem& p : problems.list)
      std::cout << o.song << ": " << (p.isError ? "" : "note: ") << p.text() << '\n';
    if (problems.list.empty()) std::cout << o.song << ": no problems\n";
  }
  return problems.hasErrors() ? 1 : 0;
}

int render(const RenderOptions& o) {
  ExportOptions e;
  e.mix = false;
  const std::vector<std::string> whats{"mix", "stems", "dry", "wet", "ornaments"};
  bool* const flags[] = {&e.mix, &e.stems, &e.dry, &e.wet, &e.ornaments};
  for (const std::string& w : listOf(o.what)) {
    const auto at = std::find(whats.begin(), whats.end(), w);
    if (at == whats.end()) {
      std::cerr << "ivrin-cli: --what: \"" << w << "\" is not one of mix, stems, dry, wet, ornaments"
                << didYouMean(w, whats) << '\n';
      return 2;
    }
    *flags[at - whats.begin()] = true;
  }
  const auto format = audioFormat(o.format);
  if (!format) {
    std::cerr << "ivrin-cli: --format: \"" << o.format << "\" is not one of wav16, wav24, wav32f, flac16, flac24\n";
    return 2;
  }
  e.format = *format;
  e.only = listOf(o.only);
  e.threads = o.threads;
  e.trim = o.trim;
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  const TempoMap map = opened->song.tempoMap();
  for (const auto& [name, text, place] : {std::tuple{"--from", &o.from, &e.from}, std::tuple{"--to", &o.to, &e.to}}) {
    if (text->empty()) continue;
    *place = readPlace(*text, map);
    if (*place) continue;
    std::cerr << "ivrin-cli: " << name << ": \"" << *text
              << "\" is not a position. Use beats (64) or bar:beat (33:1.5)\n";
    return 2;
  }
  if (e.from && e.to && *e.to <= *e.from) {
    std::cerr << "ivrin-cli: --to must be after --from\n";
    return 2;
  }
  if (e.trim && e.ornaments && extensionOf(e.format) != ".wav") std::cerr << "note: only WAV files carry time stamps\n";
  for (const std::string& id : e.only)
    if (!opened->song.hasRow(id) && !opened->song.ornament(id)) {
      std::cerr << "ivrin-cli: --only: there is no row or ornament \"" << id << "\"\n";
      return 2;
    }
  for (const auto& [name, beat] : {std::pair{"--from", e.from}, std::pair{"--to", e.to}})
    if (beat && std::abs(opened->song.tempoMap().secondsAt(*beat).value) > kLongestSongSeconds) {
      std::cerr << "ivrin-cli: " << name << " is more than 4 hours from the start of the song\n";
      return 2;
    }
  PrintCache cache;
  Problems problems;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache, nullptr, &problems);
  if (problems.hasErrors()) {
    say(o.song.song, problems);
    return 1;
  }
  // What lies in the cache is compared with its checksums meanwhile.
  auto verified = std::async(std::launch::async, [&] { return verifyStems(*opened); });
  const ExportReport report = exportSong(plan, o.out, e);
  if (const auto damaged = verified.get(); !damaged.empty()) {
    for (const std::string& file : damaged)
      std::cerr << "ivrin-cli: " << file << ": its cached copy was damaged and was removed. Render again\n";
    return 1;
  }
  for (const auto& file : report.files) std::cout << file.string() << '\n';
  for (const auto& note : report.notes) std::cerr << "note: " << note << '\n';
  if (report.limiterReductionDb > 0)
    std::cerr << "note: the mix limiter reduced peaks by up to "
              << shortestNumber(std::round(report.limiterReductionDb * 10) / 10) << " dB\n";
  return 0;
}

} // namespace ivrin::cli
