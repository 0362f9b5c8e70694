#include "ornaments/riser_shape.h"

#include "dsp/speed/speed_reader.h"
#include "song/curve.h"
#include "song/scale.h"
#include "song/settings/settings_view.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kTremor = 0.85; // how deep it trembles

void addRiserClimb(TableSpec& t) {
  t.add({.key = "of",
         .label = "source",
         .type = type::choice,
         .initial = "noise",
         .meaning = "Sound that rises: noise, a tone, or the row itself.",
         .group = "rise",
         .choices = {"noise", "tone", "stem"}});
  t.add({.key = "direction",
         .label = "direction",
         .type = type::choice,
         .initial = "up",
         .meaning = "Whether it rises into a landing at its end, or falls from one at its start.",
         .group = "rise",
         .choices = {"up", "down"},
         .role = Role::leftAlone});
  t.add({.key = "pitch_semitones",
         .label = "pitch",
         .unit = "st",
         .min = -48,
         .max = 48,
         .initial = List{-12.0, 12.0},
         .meaning = "Pitch at the start and at the end.",
         .group = "rise",
         .shape = Shape::pair});
  t.add({.key = "tone_note",
         .label = "root note",
         .type = type::note,
         .max = 127,
         .initial = 57,
         .meaning = "Note that the pitch of a tone counts from.",
         .group = "rise"});
  t.add({.key = "key_follow",
         .label = "snap to key",
         .type = type::yesNo,
         .initial = true,
         .meaning = "Starts and ends a tone on notes of the song’s key.",
         .group = "rise"});
  t.add({.key = "cutoff_hz",
         .label = "brightness",
         .unit = "Hz",
         .min = 20,
         .max = 20000,
         .initial = List{200.0, 12000.0},
         .meaning = "Brightness at the start and at the end: a low-pass that opens or closes.",
         .group = "rise",
         .step = 100,
         .shape = Shape::pair});
  t.add({.key = "level_db",
         .label = "level",
         .unit = "dB",
         .min = -96,
         .max = 0,
         .initial = List{-48.0, -9.0},
         .meaning = "Level at the start and at the end.",
         .group = "rise",
         .shape = Shape::pair,
         .role = Role::level});
  t.add({.key = "width_percent",
         .label = "width",
         .unit = "%",
         .max = 200,
         .initial = List{20.0, 140.0},
         .meaning = "Stereo width at the start and at the end: 0 % is mono.",
         .group = "rise",
         .step = 5,
         .shape = Shape::pair});
}

void addRiserLines(TableSpec& t) {
  t.add({.key = "bend",
         .label = "bend",
         .min = -1,
         .max = 1,
         .initial = 0.4,
         .meaning = "Shape of all its lines: above 0 they move late, below 0 early.",
         .group = "lines",
         .step = 0.05});
  const auto ownBend = [&](const char* key, const char* label, const char* meaning) {
    t.add({.key = key,
           .label = label,
           .min = -1,
           .max = 1,
           .meaning = meaning,
           .group = "lines",
           .step = 0.05,
           .nullable = true,
           .whenNull = "same as bend",
           .fromNull = std::pair(0.35, 0.45),
           .since = 2});
  };
  ownBend("pitch_bend", "pitch bend", "Shape of the pitch line, if it differs.");
  ownBend("cutoff_bend", "brightness bend", "Shape of the brightness line, if it differs.");
  t.add({.key = "resonance_percent",
         .label = "resonance",
         .unit = "%",
         .max = 95,
         .initial = 20,
         .meaning = "Emphasis at the edge of the brightness: higher whistles more.",
         .group = "lines",
         .step = 5});
  t.add({.key = "tremolo",
         .label = "tremolo",
         .type = type::time,
         .min = 5,
         .max = 60000,
         .meaning = "Note values at which the level trembles, at the start and at the end, or off.",
         .group = "lines",
         .shape = Shape::pair,
         .nullable = true,
         .whenNull = "off"});
  t.add({.key = "stem_plays",
         .label = "source plays",
         .type = type::choice,
         .initial = "stretched",
         .meaning = "How the row plays: in time with its pitch changed, its first part in a loop, or backwards.",
         .group = "lines",
         .choices = {"stretched", "looped", "reversed"},
         .since = 2});
  t.add({.key = "stem_loop",
         .label = "loop length",
         .type = type::time,
         .min = 5,
         .max = 10000,
         .initial = "1/4",
         .meaning = "Length of the part of the row that loops.",
         .group = "lines",
         .since = 2});
}

void addRiserLanding(TableSpec& t) {
  t.add({.key = "hit_db",
         .label = "impact",
         .unit = "dB",
         .min = -60,
         .max = 0,
         .meaning = "Peak level of the impact on the landing, or off.",
         .group = "landing",
         .nullable = true,
         .whenNull = "off",
         .fromNull = std::pair(-12.0, -6.0),
         .role = Role::leftAlone});
  t.add({.key = "hit_character",
         .label = "impact type",
         .type = type::choice,
         .initial = "deep",
         .meaning = "Sound of the impact.",
         .group = "landing",
         .choices = {"deep", "bright", "metallic"},
         .since = 2});
  t.add({.key = "reversed_hit",
         .label = "reversed impact",
         .type = type::yesNo,
         .initial = false,
         .meaning = "Plays an impact backwards that ends on the landing.",
         .group = "landing",
         .role = Role::leftAlone});
  t.add({.key = "reversed_character",
         .label = "reversed impact type",
         .type = type::choice,
         .initial = "bright",
         .meaning = "Sound of the reversed impact.",
         .group = "landing",
         .choices = {"deep", "bright", "metallic"},
         .since = 2});
  t.add({.key = "tail_beats",
         .label = "tail",
         .unit = "beats",
         .max = 64,
         .initial = 0,
         .meaning = "Time to fade out after the landing.",
         .group = "landing",
         .step = 0.25,
         .role = Role::leftAlone});
}

TableSpec makeRiserTable() {
  TableSpec t;
  t.id = "riser";
  t.name = "Riser";
  t.key = "I";
  t.meaning = "Rises into a landing, or falls from one: noise, a tone or the row itself.";
  addRiserClimb(t);
  addRiserLines(t);
  addRiserLanding(t);
  return t;
}

Impact impactOf(const std::string& name) {
  return name == "deep" ? Impact::deep : name == "bright" ? Impact::bright : Impact::metallic;
}

/// Note values from one to another by halves (doubles).
std::vector<Beats> halvings(Beats from, Beats to) {
  std::vector<Beats> all{from};
  const bool faster = to < from;
  while (all.size() < 16) {
    const Beats next = faster ? Beats(all.back().ticks / 2) : all.back() * 2;
    if (faster ? next.ticks * 1000 <= to.ticks * 1001 : next.ticks * 1001 >= to.ticks * 1000) break;
    all.push_back(next);
  }
  if (!(to == from)) all.push_back(to);
  return all;
}

} // namespace

const TableSpec& RiserShape::table() {
  static const TableSpec t = makeRiserTable();
  return t;
}

RiserShape::RiserShape(const Placed& p)
    : span(p.span())
    , map_(p.map) {
  const SettingsView s(table(), p.ornament.settings);
  of = s.is("of", "noise") ? Of::noise : s.is("of", "tone") ? Of::tone : Of::stem;
  plays = s.is("stem_plays", "looped")     ? Plays::looped
          : s.is("stem_plays", "reversed") ? Plays::reversed
                                           : Plays::stretched;
  down = s.is("direction", "down");
  landing = down ? span.begin : span.end;
  begin_ = p.ornament.start.quarters();
  length_ = std::max(1e-9, p.ornament.length.quarters());
  const auto pair = [&](const char* key) {
    const auto both = s.numbers(key);
    return std::pair(both[0], both[1]);
  };
  std::tie(note0_, note1_) = pair("pitch_semitones");
  if (of == Of::tone) {
    note0_ += s.number("tone_note");
    note1_ += s.number("tone_note");
    if (p.context.key && s.yes("key_follow")) {
      note0_ = nearestInKey(note0_, *p.context.key);
      note1_ = nearestInKey(note1_, *p.context.key);
    }
  } else {
    const double most = 12 * std::log2(SpeedReader::kFastest);
    note0_ = std::clamp(note0_, -48.0, most);
    note1_ = std::clamp(note1_, -48.0, most);
  }
  std::tie(cutoff0_, cutoff1_) = pair("cutoff_hz");
  const double highest = 0.45 * p.sampleRate();
  cutoff0_ = std::min(cutoff0_, highest);
  cutoff1_ = std::min(cutoff1_, highest);
  std::tie(level0_, level1_) = pair("level_db");
  std::tie(width0_, width1_) = pair("width_percent");
  levelBend_ = s.number("bend");
  pitchBend_ = s.maybe("pitch_bend").value_or(levelBend_);
  cutoffBend_ = s.maybe("cutoff_bend").value_or(levelBend_);
  resonance = s.share("resonance_percent");
  loopSeconds = s.seconds("stem_loop", map_, p.ornament.start);
  hitDb = s.maybe("hit_db");
  reversedHit = s.yes("reversed_hit");
  hit = impactOf(s.text("hit_character"));
  reversed = impactOf(s.text("reversed_character"));
  note = p.context.key ? p.context.key->note : 9;
  const Beats end = p.ornament.span().end;
  const double beats = s.number("tail_beats");
  tail = beats > 0 && !down ? (map_.frameAt(end + Beats::ofQuarters(beats)) - span.end).count : 0;
  const List* tremolo = s.value("tremolo").list();
  if (!tremolo) return;
  // Sections of equal length, each in its own value, counted back from the landing so that it ends on a border.
  const auto beatsOf = [&](const Value& v) {
    if (const double* ms = v.number()) return Beats::ofQuarters(*ms / 60000 * map_.bpmAt(p.ornament.start));
    return *NoteValue::parse(*v.text())->beats(map_, p.ornament.start);
  };
  std::vector<Beats> values = halvings(beatsOf((*tremolo)[0]), beatsOf((*tremolo)[1]));
  std::reverse(values.begin(), values.end()); // the last comes first
  const Beats whole = p.ornament.length;
  Beats gone(0);
  std::vector<Beats> back{gone};
  for (std::size_t i = 0; i < values.size() && gone < whole; ++i) {
    const Beats value = std::max(values[i], Beats(kTicksPerQuarter / 512));
    const Beats section((whole.ticks * static_cast<std::int64_t>(i + 1)) / static_cast<std::int64_t>(values.size()));
    // Whole periods, at least one; the last section (heard first) takes all that is left.
    while ((gone < section || i + 1 == values.size()) && gone < whole && back.size() < 65536) {
      gone = gone + value;
      back.push_back(gone);
      if (i + 1 < values.size() && !(gone < section)) break;
    }
  }
  borders_.reserve(back.size());
  for (const Beats b : back) borders_.push_back(map_.frameAt(down ? p.ornament.start + b : end - b));
  if (!down) std::reverse(borders_.begin(), borders_.end()); // ascending
}

RiserShape::State RiserShape::at(double u) const {
  const double way = down ? 1 - u : u;
  const auto between = [&](double a, double b, double bend) { return a + (b - a) * bendProgress(bend, way); };
  return {between(note0_, note1_, pitchBend_), cutoff0_ * std::pow(cutoff1_ / cutoff0_, bendProgress(cutoffBend_, way)),
          between(level0_, level1_, levelBend_), between(width0_, width1_, levelBend_) / 100};
}

double RiserShape::progress(Frames f) const {
  if (f >= span.end) return 1; // after the landing it stays as it was there
  return std::clamp((map_.quartersAt(f) - begin_) / length_, 0.0, 1.0);
}

double RiserShape::tremble(Frames f) const {
  if (borders_.empty()) return 1;
  const auto next = std::upper_bound(borders_.begin(), borders_.end(), f);
  if (next == borders_.begin() || next == borders_.end()) return 1;
  const double u = static_cast<double>((f - *(next - 1)).count) / static_cast<double>((*next - *(next - 1)).count);
  return 1 - kTremor * 0.5 * (1 - std::cos(2 * std::numbers::pi * u));
}

} // namespace ivrin
