// Commands that place ornaments and tell what there is: rows, figures of ornaments.
#include "commands.h"
#include "opened.h"

#include "files/json.h"
#include "files/targets.h"
#include "manners/fitting.h"
#include "manners/said_of_press.h"
#include "services/hearing.h"
#include "services/opening_finding.h"
#include "services/section_finding.h"
#include "services/song_figures.h"
#include "song/edits.h"
#include "time/plain_number.h"
#include "time/song_place.h"

#include <algorithm>
#include <cmath>
#include <iomanip>
#include <iostream>

namespace ivrin::cli {
namespace {

Value frameOrNull(std::optional<Frames> f) {
  return f ? Value(static_cast<double>(f->count)) : Value();
}
Value rounded(double v) {
  return v <= -199 ? Value() : Value(std::round(v * 100) / 100);
}
double toBeat(Beats b) {
  return std::round(b.quarters() * 1e4) / 1e4;
}

/// Phrases as the window keeps them; nothing here asks for attacks.
Findings::Options kept() {
  return {StemStore::defaultFolder(), false};
}

/// In a column of so many letters, whatever bytes they take.
std::string column(std::string text, std::size_t letters) {
  std::size_t n = 0;
  for (const char c : text) n += (static_cast<unsigned char>(c) & 0xC0) != 0x80 ? 1 : 0;
  if (n < letters) text += std::string(letters - n, ' ');
  return text + ' ';
}

/// The place that was asked for, or nothing with the reason said.
std::optional<BeatRange> stretchOf(const PlaceOptions& o, const TempoMap& map) {
  const auto start = readPlace(o.start, map);
  if (!start) {
    std::cerr << "ivrin-cli: --start: \"" << o.start << "\" is not a position. Use beats (64) or bar:beat (33:1.5)\n";
    return std::nullopt;
  }
  const auto length = readLength(o.length, map, *start);
  if (!length) {
    std::cerr << "ivrin-cli: --length: \"" << o.length
              << "\" is not a length. Use beats (4), a note value (1/8) or bars (\"2 bars\")\n";
    return std::nullopt;
  }
  if (length->quarters() < 1.0 / 1024 || length->quarters() > 65536 || std::abs(start->quarters()) > 1e6) {
    std::cerr << "ivrin-cli: --start and --length: must cover 1/1024 to 65536 beats\n";
    return std::nullopt;
  }
  return BeatRange{*start, *start + *length};
}

Value ornamentJson(const Ornament& o) {
  Song alone;
  alone.ornaments.push_back(o);
  Problems none;
  const auto root = parseJson(writeSong(alone, allKinds().registry()), none);
  for (const auto& [key, value] : *root->object())
    if (key == "ornaments") return (*value.list())[0];
  return {};
}

Value heardJson(const Heard& h) {
  const auto maybe = [](const std::optional<double>& v) { return v ? rounded(*v) : Value(); };
  const auto beat = [](const std::optional<Beats>& b) { return b ? Value(toBeat(*b)) : Value(); };
  static constexpr const char* kLevels[] = {nullptr,       "as-meant",     "raised", "held-under-source",
                                            "held-in-mix", "held-for-lows"};
  const char* level = kLevels[static_cast<int>(h.level)];
  return Object{{"source_lufs", rounded(h.sourceLufs)},
                {"room_seconds", rounded(h.roomSeconds)},
                {"next_phrase", beat(h.next)},
                {"previous_phrase_end", beat(h.previous)},
                {"runs", h.runs},
                {"level", level ? Value(std::string(level)) : Value()},
                {"over_source_lu", level ? rounded(h.overSourceLu) : Value()},
                {"under_mix_lu", maybe(h.underMixLu)},
                {"low_cut_hz", maybe(h.lowCutHz)},
                {"cut_at_next", h.cutAtNext},
                {"attack_kept_ms", maybe(h.attackKeptMs)}};
}

} // namespace

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
  if (!isRow(opened->song, "--row", o.row)) return 2;
  const TempoMap map = opened->song.tempoMap();
  const auto stretch = stretchOf(o, map);
  if (!stretch) return 2;

  PlacedSeveral made;
  if (const auto again = pressedAgain(opened->song, o.kind, o.row, *stretch)) {
    if (!again->next) { // a second one on the same source would only make it louder
      std::cerr << "ivrin-cli: " << again->why << '\n';
      return 1;
    }
    made.song = withOrnamentReplaced(opened->song, *again->next);
    made.placed = {*again->next};
  } else {
    const auto cache = std::make_shared<PrintCache>();
    const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), *cache);
    Findings findings(kept());
    made = placeSeveral(allKinds(), o.kind, opened->song, {{o.row, *stretch}},
                        hearing(plan, opened->audio, cache, findings));
    if (made.placed.empty()) {
      std::cerr << "ivrin-cli: " << made.refusal << '\n';
      return 1;
    }
  }
  const Ornament& placed = made.placed.front();
  const std::string said =
      made.heard.empty() ? std::string() : saidOfPress(made.heard.front(), [&](Beats b) { return placeText(map, b); });
  if (o.song.json)
    std::cout << prettyJson(Object{{"ornament", ornamentJson(placed)},
                                   {"heard", made.heard.empty() ? Value() : heardJson(made.heard.front())},
                                   {"said", said}});
  else if (o.out.empty())
    std::cout << prettyJson(ornamentJson(placed));
  if (!said.empty()) std::cerr << said << '\n';
  return o.out.empty() ? 0 : writeEdited(*opened, made.song, o.out, placed.id);
}

int openings(const SongOptions& o, const std::string& row) {
  const auto opened = openSound(o);
  if (!opened) return 1;
  if (!row.empty() && !isRow(opened->song, "--row", row)) return 2;
  PrintCache cache;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache);
  Findings findings({StemStore::defaultFolder(), true});
  std::vector<std::string> rows;
  if (row.empty()) {
    for (const Stem& s : opened->song.stems) rows.push_back(s.id);
    rows.emplace_back(kMixRow);
  } else {
    rows.push_back(row);
  }
  const TempoMap& map = plan->map();
  List list;
  if (!o.json)
    std::cout << column("where", 10) << column("row", 12) << column("what", 8) << column("beats", 6) << "suits\n";
  for (const Opening& p : openingsOf(plan, rows, findings, 2)) {
    List suits;
    std::string words;
    for (const std::string& s : p.suits) {
      suits.emplace_back(s);
      words += (words.empty() ? "" : ", ") + s;
    }
    if (o.json)
      list.emplace_back(Object{{"row", p.row},
                               {"kind", std::string(openingWord(p.kind))},
                               {"start", toBeat(p.place.begin)},
                               {"length", toBeat(p.place.length())},
                               {"score", rounded(p.score)},
                               {"suits", Value(std::move(suits))}});
    else
      std::cout << column(placeText(map, p.place.begin, 2), 10) << column(p.row, 12) << column(openingWord(p.kind), 8)
                << column(fixedNumber(p.place.length().quarters(), 1), 6) << words << '\n';
  }
  if (o.json) std::cout << prettyJson(Object{{"openings", Value(std::move(list))}});
  return 0;
}

int sections(const SongOptions& o, const std::string& out) {
  const auto opened = openSound(o);
  if (!opened) return 1;
  PrintCache cache;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache);
  Findings findings({StemStore::defaultFolder(), true});
  const std::vector<FoundSection> found = sectionsOf(plan, findings, 2);
  List list;
  if (!o.json) std::cout << column("where", 10) << column("name", 6) << "sure\n";
  for (const FoundSection& s : found) {
    if (o.json)
      list.emplace_back(Object{{"at", toBeat(s.at)}, {"name", s.name}, {"confidence", rounded(s.confidence)}});
    else
      std::cout << column(placeText(plan->map(), s.at, 2), 10) << column(s.name, 6) << fixedNumber(s.confidence, 2)
                << '\n';
  }
  if (o.json) std::cout << prettyJson(Object{{"sections", Value(std::move(list))}});
  if (found.empty() && !o.json) std::cerr << "Section detection found no clear sections.\n";
  return out.empty() ? 0 : writeEdited(*opened, withSections(opened->song, found), out, "");
}

int rows(const SongOptions& o) {
  const auto opened = openSound(o);
  if (!opened) return 1;
  PrintCache cache;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache);
  const TempoMap& map = plan->map();
  Findings findings(kept());
  List list;
  for (const std::string& id : opened->song.rowsInScoreOrder()) {
    const auto found = findings.of(plan, id);
    if (!found) continue;
    const Stem* stem = opened->song.stem(id);
    const Bus* bus = opened->song.bus(id);
    // Between rests: what is nearer than nine tenths of a beat is one.
    const std::vector<FrameRange> phrases = joinedOver(found->phrases, leastRest(map, Beats(0)));
    const FrameRange all = stemsUnder(*plan, *plan->rowIndex(id));
    const bool runs = phrases.size() == 1 && 10 * phrases.front().length() > 9 * all.length();
    const std::string name = stem ? stem->name : bus ? bus->name : "Mix", type = stem ? "stem" : bus ? "bus" : "mix";
    if (o.json) {
      List sounds;
      for (const FrameRange& p : phrases)
        sounds.emplace_back(Object{{"start", toBeat(map.beatAt(p.begin))}, {"end", toBeat(map.beatAt(p.end))}});
      list.emplace_back(Object{{"row", id},
                               {"type", type},
                               {"name", name},
                               {"runs", runs},
                               {"dies_away_seconds", rounded(found->decaySeconds)},
                               {"sounds", Value(std::move(sounds))}});
      continue;
    }
    std::cout << std::left << std::setw(16) << id << ' ' << std::setw(5) << type << ' ' << name << '\n';
    std::string line = runs ? "runs" : phrases.empty() ? "silent" : "";
    if (!runs)
      for (const FrameRange& p : phrases)
        line += (line.empty() ? "" : "  ") + placeText(map, map.beatAt(p.begin), 2) + "–" +
                placeText(map, map.beatAt(p.end), 2);
    std::cout << "    " << line << '\n';
  }
  if (o.json) std::cout << prettyJson(Object{{"rows", Value(std::move(list))}});
  return 0;
}

namespace {

std::string signedDecibels(double db) {
  const std::string text = fixedNumber(db, 0);
  return db > 0 && text != "0" ? "+" + text : text == "-0" ? "0" : text;
}
std::string decibels(const std::optional<double>& v) {
  return v ? fixedNumber(*v, 1) : "–";
}
} // namespace

int show(const SongOptions& o) {
  const auto opened = openSound(o);
  if (!opened) return 1;
  PrintCache cache;
  const auto plan = RenderPlan::make(opened->song, opened->audio, allKinds(), cache);
  Findings findings(kept());
  const TempoMap& map = plan->map();
  List ornaments;
  if (!o.json)
    std::cout << column("id", 6) << column("kind", 15) << column("row", 12) << column("name", 20) << column("bars", 16)
              << column("source", 7) << column("mix", 7) << "meets\n";
  for (const OrnamentFigures& figures : figuresOfAll(plan, opened->audio, cache, findings, 2)) {
    const Ornament& item = *figures.node->ornament;
    const OrnamentFacts& f = figures.facts;
    List collisions, over;
    std::string meets;
    const auto place = [&](const FrameRange& r) {
      return Object{{"start", toBeat(map.beatAt(r.begin))}, {"end", toBeat(map.beatAt(r.end))}};
    };
    for (const Collision& c : figures.collisions) {
      Object json = place(c.frames);
      json.emplace_back("level_db", rounded(c.db));
      json.emplace_back("goes_on", c.goesOn);
      collisions.emplace_back(std::move(json));
      meets += (meets.empty() ? "" : ", ") + placeText(map, map.beatAt(c.frames.begin), 2) + " " + signedDecibels(c.db);
    }
    for (const Collision& r : figures.over) {
      Object json = place(r.frames);
      json.emplace_back("row", r.row);
      json.emplace_back("level_db", rounded(r.db));
      over.emplace_back(std::move(json));
      meets += (!meets.empty() && &r == &figures.over.front() ? "; over "
                : meets.empty()                               ? "over "
                                                              : ", ") +
               r.row + ' ' + signedDecibels(r.db);
    }
    if (!o.json) {
      std::cout << column(item.id, 6) << column(item.kind, 15) << column(item.on, 12) << column(item.name, 20)
                << column(placeText(map, item.start) + "–" + placeText(map, item.span().end), 16)
                << column(decibels(figures.overSourceLu), 7)
                << column(figures.underMixLu ? decibels(-*figures.underMixLu) : "–", 7) << meets << '\n';
      continue;
    }
    const auto beat = [&](const std::optional<Beats>& b) { return b ? Value(toBeat(*b)) : Value(); };
    ornaments.emplace_back(Object{{"id", item.id},
                                  {"kind", item.kind},
                                  {"row", item.on},
                                  {"name", item.name},
                                  {"first_frame", static_cast<double>(f.extent.begin.count)},
                                  {"end_frame", static_cast<double>(f.extent.end.count)},
                                  {"landing_frame", frameOrNull(f.landing)},
                                  {"peak_dbfs", rounded(f.peakDbfs)},
                                  {"lufs_with", rounded(f.lufsWith)},
                                  {"lufs_without", rounded(f.lufsWithout)},
                                  {"over_source_lu", figures.overSourceLu ? rounded(*figures.overSourceLu) : Value()},
                                  {"under_mix_lu", figures.underMixLu ? rounded(*figures.underMixLu) : Value()},
                                  {"loop_gain_db", f.loop ? rounded(f.loop->gainPerPassDb) : Value()},
                                  {"dies_at_beat", f.loop ? beat(f.loop->diesAt) : Value()},
                                  {"collisions", Value(std::move(collisions))},
                                  {"over_rows", Value(std::move(over))}});
  }
  if (o.json) std::cout << prettyJson(Object{{"ornaments", Value(std::move(ornaments))}});
  return 0;
}

} // namespace ivrin::cli
