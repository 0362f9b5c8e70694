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
         .label = "of",
         .type = type::choice,
         .initial = "noise",
         .meaning = "What climbs: noise, a tone, or the row itself (or a source from elsewhere).",
         .group = "rise",
         .choices = {"noise", "tone", "stem"}});
  t.add({.key = "direction",
         .label = "direction",
         .type = type::choice,
         .initial = "up",
         .meaning = "Whether it climbs to the landing at its end, or falls from the one at its start.",
         .group = "rise",
         .choices = {"up", "down"},
         .role = Role::leftAlone});
  t.add({.key = "pitch_semitones",
         .label = "pitch",
         .unit = "st",
         .min = -48,
         .max = 48,
         .initial = List{-12.0, 12.0},
         .meaning = "From where to where the pitch goes.",
         .group = "rise",
         .shape = Shape::pair});
  t.add({.key = "tone_note",
         .label = "about note",
         .type = type::note,
         .max = 127,
         .initial = 57,
         .meaning = "The MIDI note that a tone's pitch counts from.",
         .group = "rise"});
  t.add({.key = "key_follow",
         .label = "in key",
         .type = type::yesNo,
         .initial = true,
         .meaning = "A tone starts and ends on notes of the song's key.",
         .group = "rise"});
  t.add({.key = "cutoff_hz",
         .label = "brightness",
         .unit = "Hz",
         .min = 20,
         .max = 20000,
         .initial = List{200.0, 12000.0},
         .meaning = "From where to where what is heard of it opens.",
         .group = "rise",
         .step = 100,
         .shape = Shape::pair});
  t.add({.key = "level_db",
         .label = "level",
         .unit = "dB",
         .min = -96,
         .max = 0,
         .initial = List{-48.0, -9.0},
         .meaning = "From where to where its level goes, as a sine's: 0 is one at full scale.",
         .group = "rise",
         .shape = Shape::pair,
         .role = Role::level});
  t.add({.key = "width_percent",
         .label = "width",
         .unit = "%",
         .max = 200,
         .initial = List{20.0, 140.0},
         .meaning = "From where to where it widens.",
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
         .meaning = "How its lines bend: over 0 they hold back and then hurry.",
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
           .whenNull = "as bend",
           .fromNull = std::pair(0.35, 0.45),
           .since = 2});
  };
  ownBend("pitch_bend", "pitch bend", "That of the pitch, where it has its own.");
  ownBend("cutoff_bend", "bright bend", "That of the brightness, where it has its own.");
  t.add({.key = "resonance_percent",
         .label = "resonance",
         .unit = "%",
         .max = 95,
         .initial = 20,
         .meaning = "How much the edge of its brightness sings.",
         .group = "lines",
         .step = 5});
  t.add({.key = "tremolo",
         .label = "trembles",
         .type = type::time,
         .min = 5,
         .max = 60000,
         .meaning =
             "From which note value to which it trembles, through halves and ending with a whole period; null: not.",
         .group = "lines",
         .shape = Shape::pair,
         .nullable = true,
         .whenNull = "not"});
  t.add({.key = "stem_plays",
         .label = "row plays",
         .type = type::choice,
         .initial = "stretched",
         .meaning = "The row itself: in its own time under the pitch, its first beat round and round, or backwards.",
         .group = "lines",
         .choices = {"stretched", "looped", "reversed"},
         .since = 2});
  t.add({.key = "stem_loop",
         .label = "loop",
         .type = type::time,
         .min = 5,
         .max = 10000,
         .initial = "1/4",
         .meaning = "How much of the row goes round and round.",
         .group = "lines",
         .since = 2});
}

void addRiserLanding(TableSpec& t) {
  t.add({.key = "hit_db",
         .label = "impact",
         .unit = "dB",
         .min = -60,
         .max = 0,
         .meaning = "An impact on the landing, its peak; null: none.",
         .group = "landing",
         .nullable = true,
         .whenNull = "none",
         .fromNull = std::pair(-12.0, -6.0),
         .role = Role::leftAlone});
  t.add({.key = "hit_character",
         .label = "struck",
         .type = type::choice,
         .initial = "deep",
         .meaning = "What the impact is like.",
         .group = "landing",
         .choices = {"deep", "bright", "metallic"},
         .since = 2});
  t.add({.key = "reversed_hit",
         .label = "hit before",
         .type = type::yesNo,
         .initial = false,
         .meaning = "A hit played backwards under it, ending on the landing.",
         .group = "landing",
         .role = Role::leftAlone});
  t.add({.key = "reversed_character",
         .label = "struck before",
         .type = type::choice,
         .initial = "bright",
         .meaning = "What the hit under it is like.",
         .group = "landing",
         .choices = {"deep", "bright", "metallic"},
         .since = 2});
  t.add({.key = "tail_beats",
         .label = "tail",
         .unit = "beats",
         .max = 64,
         .initial = 0,
         .meaning = "How long it dies away after the landing.",
         .group = "landing",
         .step = 0.25,
         .role = Role::leftAlone});
}

TableSpec makeRiserTable() {
  TableSpec t;
  t.id = "riser";
  t.name = "Riser";
  t.key = "I";
  t.meaning = "Noise, a tone or the row itself climbs to a landing, or falls from one.";
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
