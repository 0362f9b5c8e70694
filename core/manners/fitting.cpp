#include "manners/fitting.h"

#include "dsp/denormals.h"
#include "dsp/loudness.h"
#include "dsp/svf.h"
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

void fitLevel(Ornament& o, const PressedAt& at, double underLu, double mostMoreLu) {
  const PrintLevel level = measurePrint(at.kind, o, at.context, at.around);
  // A swell over a short word is loud at its very end only: its peak stays under the source's, as far as 4 LU allow.
  double more = 0;
  if (level.print > -100 && level.source > -70) {
    const double wanted = level.source - underLu - level.print;
    more = std::clamp(level.printPeakDb + wanted - (level.sourcePeakDb - 1), 0.0, mostMoreLu);
  }
  o.finish.push_back({"level", {{"offset_lu", -(underLu + std::round(more * 2) / 2)}}});
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
