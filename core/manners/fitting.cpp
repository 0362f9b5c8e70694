#include "manners/fitting.h"

#include "dsp/denormals.h"
#include "dsp/measure/loudness.h"
#include "dsp/measure/onsets.h"
#include "manners/in_the_mix.h"
#include "ornaments/finished.h"
#include "ornaments/source.h"

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

constexpr double kRestBeats = 0.8, kAttackSeconds = 0.012;
constexpr double kGone = 0.01,
                 kGoneSeconds = 2.5;    // 40 dB down for longer than any echo is apart: the rest is softer still
constexpr double kMeasuredSeconds = 12; // of a tail: its loud part is at its begin

} // namespace

PressSound soundOf(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around) {
  const FlushDenormals guard;
  const TempoMap& map = context.map;
  const Placed placed{o, context};
  const PrintPlan plan = finishedPlan(kind, placed);
  PressSound s;
  if (!plan.sounds) return s;
  PlainSounds sounds(plan.reads, around);
  const Source source(placed);
  s.first = plan.extent.begin;
  s.window = std::max<std::int64_t>(source.frames(), std::llround(0.05 * map.sampleRate()));
  StereoBuffer scratch;
  s.source.resize(source.frames());
  for (std::int64_t at = 0; at < s.source.frames(); at += kPrintBlock)
    source.read(sounds, at, s.source.span().part(at, std::min(kPrintBlock, s.source.frames() - at)), scratch);

  const auto voice = finishedVoice(kind, placed, plan, sounds);
  if (!voice) return s;
  const std::int64_t before = (placed.span().begin - plan.extent.begin).count;
  const auto longest =
      std::max<std::int64_t>(0, before) + source.frames() + std::llround(kMeasuredSeconds * map.sampleRate());
  const std::int64_t echo = std::llround(kGoneSeconds * map.sampleRate());
  double loudest = 0;
  std::int64_t loud = 0; // where it was last near its loudest
  while (s.print.frames() < longest) {
    const std::int64_t at = s.print.frames();
    s.print.resize(at + kPrintBlock);
    const std::int64_t n = voice->render(s.print.span().part(at, kPrintBlock));
    const double peak = samplePeak(s.print.left() + at, s.print.right() + at, n);
    loudest = std::max(loudest, peak);
    if (peak > loudest * kGone) loud = at;
    if (n == kPrintBlock && (loudest <= 0 || at < source.frames() + before || at - loud < echo)) continue;
    s.print.resize(at + n);
    break;
  }
  return s;
}

PrintLevel measurePrint(const Kind& kind, const Ornament& o, const SongContext& context, const Surroundings& around) {
  const PressSound s = soundOf(kind, o, context, around);
  const double rate = context.map.sampleRate();
  PrintLevel level;
  const auto measured = [&](const StereoBuffer& b, double& lufs, double& lows, double& peak) {
    if (b.frames() == 0) return;
    lufs = loudestWindowLufs(b, rate, s.window);
    lows = lowEnergyDb(b, rate);
    peak = Decibels::ofGain(samplePeak(b.left(), b.right(), b.frames())).value;
  };
  measured(s.source, level.source, level.sourceLowsDb, level.sourcePeakDb);
  measured(s.print, level.print, level.printLowsDb, level.printPeakDb);
  return level;
}

void tieToLanding(const Song& song, Ornament& o, Beats at) {
  const Beats near(kTicksPerQuarter / 64);
  for (const Landing& l : song.allLandings())
    if (std::abs((l.at - at).ticks) <= near.ticks) o.landing = l.id;
}

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

Frames leastRest(const TempoMap& map, Beats at) {
  // A little less than nine tenths: a phrase is heard to end a moment after it is let go.
  return Frames(std::llround(kRestBeats * 60 / map.bpmAt(at) * map.sampleRate()));
}

void keepAttack(Ornament& o, const PressedAt& at, Heard& heard) {
  const TempoMap& map = at.context.map;
  const Frames edge = map.frameAt(o.span().end);
  const std::int64_t reach = std::llround(kAttackSeconds * map.sampleRate()),
                     around = std::llround(0.15 * map.sampleRate());
  OnsetFinder finder(map.sampleRate());
  const StereoBuffer there = heardOver(at.around.before(o.on), {edge - Frames(around), edge + Frames(around)});
  finder.add(there.left(), there.right(), there.frames());
  for (const Onset& onset : finder.finish()) {
    if (onset.frame < around - reach || onset.frame >= around) continue;
    const Beats earlier = map.beatAt(edge - Frames(around - onset.frame));
    if (earlier <= o.start) return;
    o.length = earlier - o.start;
    heard.attackKeptMs = 1000 * static_cast<double>(around - onset.frame) / map.sampleRate();
    return;
  }
}

Ornament withNextChoice(Ornament o, const Kind& kind, const char* key) {
  const SettingSpec& spec = *kind.table().find(key);
  const std::string now = *settingOr(kind.table(), o.settings, key).text();
  const auto at = std::find(spec.choices.begin(), spec.choices.end(), now) - spec.choices.begin() + 1;
  std::size_t next = static_cast<std::size_t>(at) % spec.choices.size();
  while (std::find(spec.notByChance.begin(), spec.notByChance.end(), spec.choices[next]) != spec.notByChance.end())
    next = (next + 1) % spec.choices.size();
  o.settings[key] = spec.choices[next];
  return o;
}

} // namespace ivrin
