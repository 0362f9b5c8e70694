#include "analysis/first_press.h"

#include "dsp/denormals.h"
#include "dsp/loudness.h"
#include "dsp/svf.h"
#include "ornaments/finished.h"
#include "ornaments/source.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// Declared reads served straight from rows before their ornaments: what lies under a new ornament.
class PlainSounds : public Sounds {
 public:
  PlainSounds(const std::vector<Read>& reads, const Surroundings& around)
      : reads_(reads) {
    for (const Read& r : reads) rows_.push_back(around.before(r.row));
  }
  void read(std::size_t index, Frames from, StereoSpan out) override {
    out.clear();
    const FrameRange r = intersect(reads_[index].frames, {from, from + Frames(out.frames)});
    if (!r.empty()) rows_[index](r.begin, out.part((r.begin - from).count, r.length()));
  }

 private:
  std::vector<Read> reads_;
  std::vector<RowReader> rows_;
};

/// 10 log of the energy (not the mean) under 200 Hz: comparable between a sound and its print whatever their lengths.
double lowEnergyDb(const StereoBuffer& b, double rate) {
  StereoBuffer low = b;
  for (int pass = 0; pass < 2; ++pass)
    StereoSvf(StereoSvf::Pass::low, 200, 200, rate, pass == 0 ? 0.54119610 : 1.3065630)
        .process(low.left(), low.right(), low.frames());
  double e = 1e-20;
  for (std::int64_t i = 0; i < low.frames(); ++i)
    e += static_cast<double>(low.left()[i]) * low.left()[i] + static_cast<double>(low.right()[i]) * low.right()[i];
  return 10 * std::log10(e);
}

constexpr double kMeasuredSeconds = 12; // of a tail: its loud part is at its begin

void tieToLanding(const Song& song, Ornament& o, Beats at) {
  const Beats near(kTicksPerQuarter / 64);
  for (const Landing& l : song.allLandings())
    if (std::abs((l.at - at).ticks) <= near.ticks) o.landing = l.id;
}

/// Puts a level at the end of the finish: so many LU under the source.
void fitLevel(const KindSet& kinds, Ornament& o, const SongContext& context, const Surroundings& around, double underLu,
              double mostMoreLu = 0) {
  const PrintLevel level = measurePrint(*kinds.find(o.kind), o, context, around);
  // A swell over a short word is loud at its very end only: its peak stays under the source's, as far as 4 LU allow.
  double more = 0;
  if (level.print > -100 && level.source > -70) {
    const double wanted = level.source - underLu - level.print;
    more = std::clamp(level.printPeakDb + wanted - (level.sourcePeakDb - 1), 0.0, mostMoreLu);
  }
  o.finish.push_back({"level", {{"offset_lu", -(underLu + std::round(more * 2) / 2)}}});
}

void fitReverbThrow(const KindSet& kinds, const Song& song, Ornament& o, const Surroundings& around) {
  const SongContext context = contextOf(song);
  const TempoMap& map = context.map;
  const FrameRange span = map.frames(o.span());
  const Room room = roomAfter(around.phrases, span, map.sampleRate());
  // Three seconds, or as much as has fallen 40 dB when the next phrase comes.
  double decay = 3;
  if (room.next)
    decay = std::min(decay, 1.5 * static_cast<double>((*room.next - room.sounding).count) / map.sampleRate());
  o.settings = {{"character", "plate"},
                {"decay_seconds", std::max(0.4, std::round(decay * 100) / 100)},
                {"pre_delay", "1/64"},
                {"low_cut_hz", 250.0},
                {"duck_db", 6.0}};
  fitLevel(kinds, o, context, around, 8);
}

void fitReverseReverb(const KindSet& kinds, const Song& song, Ornament& o, const Surroundings& around) {
  const SongContext context = contextOf(song);
  const TempoMap& map = context.map;
  const FrameRange span = map.frames(o.span());
  const RoomBefore room = roomBefore(around.phrases, span, map.sampleRate());
  // One bar, or the rest before the word; where there is hardly a rest the swell may lie over the former phrase.
  double lead = map.meterAt(o.start).barLength().quarters();
  if (room.former) {
    const double rest = (o.start - map.beatAt(*room.former)).quarters();
    if (rest >= 1) lead = std::min(lead, std::floor(rest * 4 + 1e-6) / 4);
  }
  o.settings = {{"character", "hall"}, {"lead_beats", lead}, {"low_cut_hz", 250.0}};
  if (o.length.quarters() > 4) { // a phrase: every syllable swells
    o.settings["decay_seconds"] = 0.8;
    o.settings["wash_under_percent"] = 100.0;
  }
  tieToLanding(song, o, o.start);
  fitLevel(kinds, o, context, around, 6, 4);
}

void fitDelayThrow(const KindSet& kinds, const Song& song, Ornament& o, const Surroundings& around) {
  const SongContext context = contextOf(song);
  const TempoMap& map = context.map;
  const FrameRange span = map.frames(o.span());
  const Room room = roomAfter(around.phrases, span, map.sampleRate());
  const double quarter = 60 / map.bpmAt(o.start);
  const auto seconds = [&](Frames a, Frames b) { return static_cast<double>((b - a).count) / map.sampleRate(); };
  // Without a next phrase: four bars may be filled.
  const double barSeconds = map.meterAt(o.start).barLength().quarters() * quarter;
  const double rest = room.next ? seconds(room.sounding, *room.next) : 4 * barSeconds;
  const char* time = rest >= 3 * quarter ? "1/4" : "1/8.";
  const double pass = rest >= 3 * quarter ? quarter : 0.75 * quarter;
  // Echo k sounds k passes after the source and has been round k − 1 times; 30 dB must be gone at the next phrase.
  const double toNext = room.next ? seconds(span.begin, *room.next) : seconds(span.begin, room.sounding) + rest;
  const double rounds = std::max(1.0, toNext / pass - 1);
  const double feedback = std::clamp(100 * std::pow(10.0, -30.0 / 20.0 / rounds), 15.0, 72.0);
  o.settings = {{"time_left", time},      {"time_right", time},
                {"pattern", "ping-pong"}, {"feedback_percent", std::round(feedback)},
                {"low_cut_hz", 200.0},    {"high_cut_hz", 7000.0},
                {"duck_db", 6.0},         {"width_percent", 130.0}};
  fitLevel(kinds, o, context, around, 8);
}

/// Up to the landing when there is one near the end: within half of the length, and half a beat.
void endOnLanding(const Song& song, Ornament& o) {
  const Beats reach(std::min(o.length.ticks / 2, kTicksPerQuarter / 2));
  const Beats end = o.span().end;
  const Landing* best = nullptr;
  const auto all = song.allLandings();
  for (const Landing& l : all)
    if (std::abs((l.at - end).ticks) <= reach.ticks &&
        (!best || std::abs((l.at - end).ticks) < std::abs((best->at - end).ticks)))
      best = &l;
  if (best) {
    o.length = best->at - o.start;
    o.landing = best->id;
  }
}

/// One bar, or the whole selection where that is shorter.
void fitHalftime(const Song& song, Ornament& o) {
  const TempoMap map = song.tempoMap();
  const Beats bar = map.meterAt(o.start).barLength();
  endOnLanding(song, o);
  if (o.length >= bar) return; // the cycle's own default is a bar
  for (const NoteValue& n : allNoteValues(map, o.start))
    if (n.beats(map, o.start) == o.length) {
      o.settings["cycle"] = n.text();
      return;
    }
  o.settings["cycle"] = std::max(1.0, (map.secondsAt(o.span().end).value - map.secondsAt(o.start).value) * 1000);
}

} // namespace

PrintLevel measurePrint(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around) {
  const FlushDenormals guard;
  const TempoMap& map = context.map;
  const Placed placed{o, context};
  const PrintPlan plan = finishedPlan(kind, placed);
  PrintLevel level;
  if (!plan.sounds) return level;
  PlainSounds sounds(plan.reads, around);
  const Source source(placed);
  const std::int64_t window = std::max<std::int64_t>(source.frames(), std::llround(0.05 * map.sampleRate()));

  StereoBuffer heard(source.frames()), scratch;
  for (std::int64_t at = 0; at < heard.frames(); at += kPrintBlock)
    source.read(sounds, at, heard.span().part(at, std::min(kPrintBlock, heard.frames() - at)), scratch);
  level.sourceLowsDb = lowEnergyDb(heard, map.sampleRate());
  level.sourcePeakDb = Decibels::ofGain(samplePeak(heard.left(), heard.right(), heard.frames())).value;
  level.source =
      loudestWindowLufs(kWeightedPower(heard.left(), heard.right(), heard.frames(), map.sampleRate()), window);

  const auto voice = finishedVoice(kind, placed, plan, sounds);
  if (!voice) return level;
  const std::int64_t before = (placed.span().begin - plan.extent.begin).count;
  const auto longest =
      std::max<std::int64_t>(0, before) + source.frames() + std::llround(kMeasuredSeconds * map.sampleRate());
  StereoBuffer print;
  while (print.frames() < longest) {
    const std::int64_t at = print.frames();
    print.resize(at + kPrintBlock);
    const std::int64_t n = voice->render(print.span().part(at, kPrintBlock));
    if (n == kPrintBlock) continue;
    print.resize(at + n);
    break;
  }
  level.printLowsDb = lowEnergyDb(print, map.sampleRate());
  level.printPeakDb = Decibels::ofGain(samplePeak(print.left(), print.right(), print.frames())).value;
  level.print =
      loudestWindowLufs(kWeightedPower(print.left(), print.right(), print.frames(), map.sampleRate()), window);
  return level;
}

Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around) {
  Ornament o;
  o.id = freshOrnamentId(song);
  o.kind = kind;
  o.on = row;
  o.start = stretch.begin;
  o.length = stretch.length();
  if (kind == "delay-throw") fitDelayThrow(kinds, song, o, around);
  if (kind == "reverb-throw") fitReverbThrow(kinds, song, o, around);
  if (kind == "reverse-reverb") fitReverseReverb(kinds, song, o, around);
  if (kind == "tape") endOnLanding(song, o);
  if (kind == "halftime") fitHalftime(song, o);
  if (kind == "treat") { // a plate of 1.2 s at 30 %, the dry kept
    o.settings = {{"dry", "keep"}, {"mix_percent", 30.0}};
    o.finish = {{"reverb", {{"character", "plate"}, {"decay_seconds", 1.2}, {"mix_percent", 100.0}}}};
  }
  if (kind == "gap" || kind == "reverse") tieToLanding(song, o, o.span().end);
  return o;
}

namespace {

/// Lands on the next landing instead of its word, or on the word again.
Ornament swellPressedAgain(const Song& song, Ornament o) {
  Ornament before = o;
  const auto land = o.settings.find("land");
  const bool onWord = land == o.settings.end() || land->second == Value(0.0);
  o.landing.reset();
  if (onWord) {
    for (const Landing& l : song.allLandings())
      if (l.at > o.start && (l.at - o.start).quarters() <= 64) {
        o.settings["land"] = (l.at - o.start).quarters();
        o.landing = l.id;
        return o;
      }
    return before;
  }
  o.settings.erase("land");
  tieToLanding(song, o, o.start);
  return o;
}

/// The next choice of one setting.
Ornament withNextChoice(Ornament o, const Kind& kind, const char* key) {
  const SettingSpec& spec = *kind.table().find(key);
  const std::string now = *settingOr(kind.table(), o.settings, key).text();
  const auto at = std::find(spec.choices.begin(), spec.choices.end(), now) - spec.choices.begin() + 1;
  std::size_t next = static_cast<std::size_t>(at) % spec.choices.size();
  if (spec.choices[next] == "custom") next = 0; // nothing is drawn yet
  o.settings[key] = spec.choices[next];
  return o;
}

} // namespace

std::optional<Ornament> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                     BeatRange stretch) {
  if (kind != "reverse-reverb" && kind != "tape" && kind != "halftime") return std::nullopt;
  // It may have been drawn to its landing, so that where it begins is what tells it.
  for (const auto& one : song.ornaments) {
    if (one->kind != kind || one->on != row || one->start != stretch.begin) continue;
    if (one->length != stretch.length() && kind == "reverse-reverb") continue;
    if (kind == "tape") return withNextChoice(*one, *allKinds().find(kind), "shape");
    if (kind == "halftime") return withNextChoice(*one, *allKinds().find(kind), "pitch");
    return swellPressedAgain(song, *one);
  }
  return std::nullopt;
}

} // namespace ivrin
