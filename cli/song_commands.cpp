// Commands that read or write a song.
#include "commands.h"

#include "analysis/collisions.h"
#include "manners/lead.h"
#include "render/export.h"
#include "render/facts.h"
#include "render/open_song.h"
#include "services/findings.h"
#include "services/hearing.h"
#include "song/edits.h"
#include "song/json.h"
#include "song/limits.h"
#include "song/safe_file.h"
#include "song/targets.h"

#include <algorithm>
#include <cmath>
#include <future>
#include <iostream>
#include <sstream>

namespace ivrin::cli {
namespace fs = std::filesystem;
namespace {

void say(const std::string& file, const Problems& problems) {
  for (const Problem& p : problems.list) std::cerr << file << ": " << (p.isError ? "" : "note: ") << p.text() << '\n';
}

std::vector<std::string> listOf(const std::string& commas) {
  std::vector<std::string> items;
  std::istringstream in(commas);
  for (std::string item; std::getline(in, item, ',');)
    if (!item.empty()) items.push_back(item);
  return items;
}

std::optional<OpenedSong> open(const SongOptions& o, Problems& problems) {
  const StemStore store(StemStore::defaultFolder());
  return openSong(o.song, {o.reach.begin(), o.reach.end()}, allKinds(), store, problems);
}

/// An opened song without any error, or nothing with the errors said.
std::optional<OpenedSong> openSound(const SongOptions& o) {
  Problems problems;
  auto opened = open(o, problems);
  say(o.song, problems);
  return problems.hasErrors() ? std::nullopt : std::move(opened);
}

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

Value frameOrNull(std::optional<Frames> f) {
  return f ? Value(static_cast<double>(f->count)) : Value();
}
Value rounded(double v) {
  return v <= -199 ? Value() : Value(std::round(v * 100) / 100);
}

} // namespace

int newSong(const NewOptions& o) {
  const StemStore store(StemStore::defaultFolder());
  Problems problems;
  const fs::path out = plainPath(o.out);
  Song song = songFromFiles({o.files.begin(), o.files.end()}, o.bpm, o.sampleRate, store, problems);
  song.title = out.stem().string();
  // Brought in now, so that what is written can be read: broken and missing sound is refused here.
  Reach reach{out.parent_path(), {}};
  for (const Stem& s : song.stems) reach.allowed.push_back(fs::path(*s.file).parent_path());
  if (!problems.hasErrors()) SongAudio::open(song, reach, store, problems);
  for (const Problem& p : problems.list) std::cerr << "ivrin-cli: " << p.text() << '\n';
  if (problems.hasErrors()) return 1;
  for (const Stem& s : song.stems)
    if (fs::path(*s.file).is_absolute())
      std::cerr << "note: " << *s.file << " lies outside the song's folder; other commands need --reach "
                << fs::path(*s.file).parent_path().string() << '\n';
  std::string why;
  if (const std::string what = whatItIs(out); !what.empty()) {
    std::cerr << "ivrin-cli: " << o.out << " is there already (" << what << ")\n";
    return 1;
  }
  if (!replaceFile(out, writeSongFor(song, allKinds().registry(), out.parent_path()), why)) {
    std::cerr << "ivrin-cli: " << why << '\n';
    return 1;
  }
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
                     file + ": its copy in the cache was damaged and is thrown away; check again");
    for (const auto& n : plan->nodes()) {
      const std::string place = "ornaments \"" + n->ornament->id + "\"";
      if (n->print && n->print->complete() && n->print->end() > n->print->first() &&
          soundsBefore(plan->song(), n->print->first()))
        problems.note(ErrorId::out_of_range, place,
                      "starts to sound before the song and is faded in there; \"lead_bars\" of " +
                          std::to_string(leadBarsFor(plan->song(), n->print->first())) + " would hold it");
      if (n->print && !n->print->note().empty()) problems.note(ErrorId::out_of_range, place, n->print->note());
    }
    for (const auto& [id, mix] : [&] {
           std::vector<std::pair<std::string, RowMix>> rows;
           for (const auto& s : opened->song.stems) rows.emplace_back(s.id, s.mix);
           for (const auto& b : opened->song.buses) rows.emplace_back(b.id, b.mix);
           return rows;
         }())
      if (mix.solo)
        problems.note(ErrorId::out_of_range, id + ".solo", "is on; solo is for listening, exports ignore it");
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
  if (o.from && o.to && *o.to <= *o.from) {
    std::cerr << "ivrin-cli: --to must lie after --from\n";
    return 2;
  }
  e.format = *format;
  if (o.from) e.from = Beats::ofQuarters(*o.from);
  if (o.to) e.to = Beats::ofQuarters(*o.to);
  e.only = listOf(o.only);
  e.threads = o.threads;
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  for (const std::string& id : e.only)
    if (!opened->song.hasRow(id) && !opened->song.ornament(id)) {
      std::cerr << "ivrin-cli: --only: there is no row or ornament \"" << id << "\"\n";
      return 2;
    }
  for (const auto& [name, beat] : {std::pair{"--from", e.from}, std::pair{"--to", e.to}})
    if (beat && std::abs(opened->song.tempoMap().secondsAt(*beat).value) > kLongestSongSeconds) {
      std::cerr << "ivrin-cli: " << name << " lies more than 4 hours from the start of the song\n";
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
      std::cerr << "ivrin-cli: " << file << ": its copy in the cache was damaged and is thrown away; render again\n";
    return 1;
  }
  for (const auto& file : report.files) std::cout << file.string() << '\n';
  for (const auto& note : report.notes) std::cerr << "note: " << note << '\n';
  if (report.limiterReductionDb > 0)
    std::cerr << "note: the mix limiter took off up to "
              << shortestNumber(std::round(report.limiterReductionDb * 10) / 10) << " dB\n";
  return 0;
}

int show(const SongOptions& o) {
  const auto opened = openSound(o);
  if (!opened) return 1;
  PrintCache cache;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache);
  completePrints(*plan, 2);
  Findings findings;
  List ornaments;
  for (const auto& item : opened->song.ornaments) {
    const auto node = plan->node(item->id);
    if (!node) continue; // switched off
    const auto without =
        RenderPlan::make(withoutOrnaments(opened->song, item->id), opened->audio, allKinds(), cache, plan.get());
    const OrnamentFacts f = factsOf(*plan, *node, *without);
    List collisions;
    if (node->print)
      for (const Collision& c : findCollisions(readerOfPrint(node), f.extent, plan->map().frames(item->span()),
                                               readerBeforeOrnaments(plan, item->on),
                                               findings.of(plan, item->on)->phrases, plan->map().sampleRate()))
        collisions.emplace_back(Object{{"start", std::round(plan->map().quartersAt(c.frames.begin) * 1e4) / 1e4},
                                       {"end", std::round(plan->map().quartersAt(c.frames.end) * 1e4) / 1e4},
                                       {"level_db", rounded(c.db)}});
    const auto beat = [&](const std::optional<Beats>& b) {
      return b ? Value(std::round(b->quarters() * 1e4) / 1e4) : Value();
    };
    ornaments.emplace_back(Object{{"id", item->id},
                                  {"first_frame", static_cast<double>(f.extent.begin.count)},
                                  {"end_frame", static_cast<double>(f.extent.end.count)},
                                  {"landing_frame", frameOrNull(f.landing)},
                                  {"peak_dbfs", rounded(f.peakDbfs)},
                                  {"lufs_with", rounded(f.lufsWith)},
                                  {"lufs_without", rounded(f.lufsWithout)},
                                  {"loop_gain_db", f.loop ? rounded(f.loop->gainPerPassDb) : Value()},
                                  {"dies_at_beat", f.loop ? beat(f.loop->diesAt) : Value()},
                                  {"collisions", Value(std::move(collisions))}});
  }
  std::cout << prettyJson(Object{{"ornaments", Value(std::move(ornaments))}});
  return 0;
}

int place(const PlaceOptions& o) {
  const auto opened = openSound(o.song);
  if (!opened) return 1;
  if (!o.out.empty())
    if (const std::string why = whyNotWritten(o.out, TargetKind::song, Sources(opened->song)); !why.empty()) {
      std::cerr << "ivrin-cli: --out: " << why << '\n';
      return 1;
    }
  const Registry registry = allKinds().registry();
  if (!registry.kind(o.kind)) {
    std::vector<std::string> names;
    for (const auto& k : registry.kinds) names.push_back(k.id);
    std::cerr << "ivrin-cli: --kind: there is no kind \"" << o.kind << "\"" << didYouMean(o.kind, names) << '\n';
    return 2;
  }
  if (!opened->song.hasRow(o.row)) {
    std::cerr << "ivrin-cli: --row: there is no row \"" << o.row << "\""
              << didYouMean(o.row, opened->song.rowsInScoreOrder()) << '\n';
    return 2;
  }
  if (!(o.length >= 1.0 / 1024 && o.length <= 65536) || !(std::abs(o.start) <= 1e6)) {
    std::cerr << "ivrin-cli: --start and --length: a stretch of 1/1024 to 65536 beats is wanted\n";
    return 2;
  }
  const auto cache = std::make_shared<PrintCache>();
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), *cache);
  const Beats start = Beats::ofQuarters(o.start);
  const BeatRange stretch{start, start + Beats::ofQuarters(o.length)};
  const auto again = pressedAgain(opened->song, o.kind, o.row, stretch);
  Findings findings;
  const auto made = again && again->next
                        ? PlacedSeveral{withOrnamentReplaced(opened->song, *again->next), {*again->next}}
                        : placeSeveral(allKinds(), o.kind, opened->song, {{o.row, stretch}},
                                       hearing(plan, opened->audio, cache, findings));
  const Ornament& placed = made.placed.front();
  if (o.out.empty()) {
    Song alone;
    alone.ornaments.push_back(placed);
    Problems none;
    const auto root = parseJson(writeSong(alone, registry), none);
    for (const auto& [key, value] : *root->object())
      if (key == "ornaments") std::cout << prettyJson((*value.list())[0]);
    return 0;
  }
  const Song song = withRoomBefore(opened->song, made.song, made.song.leadBars, opened->audio.impulses());
  if (song.leadBars > opened->song.leadBars)
    std::cerr << "note: the song starts " << song.leadBars << (song.leadBars == 1 ? " bar" : " bars")
              << " before its stems now, so that all of it is heard\n";
  std::string why;
  if (!replaceFile(o.out, writeSongFor(song, registry, plainPath(o.out).parent_path()), why)) {
    std::cerr << "ivrin-cli: " << why << '\n';
    return 1;
  }
  std::cerr << "wrote " << o.out << " with " << placed.id << '\n';
  return 0;
}

} // namespace ivrin::cli
