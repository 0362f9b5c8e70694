#include "analysis/first_press.h"

#include "dsp/denormals.h"
#include "dsp/loudness.h"
#include "ornaments/source.h"
#include "song/edits.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// Declared reads served straight from rows before their ornaments: what lies under a new ornament.
class PlainSounds : public Sounds {
 public:
  PlainSounds(const std::vector<Read>& reads, const Listening& listening)
      : reads_(reads) {
    for (const Read& r : reads) rows_.push_back(listening.before(r.row));
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

constexpr double kMeasuredSeconds = 12; // of a print: its loud part is at its begin

void tieToLanding(const Song& song, Ornament& o) {
  const Beats near(kTicksPerQuarter / 64);
  for (const Landing& l : song.allLandings())
    if (std::abs((l.at - o.span().end).ticks) <= near.ticks) o.landing = l.id;
}

void fitDelayThrow(const KindSet& kinds, const Song& song, Ornament& o, const Listening& listening) {
  const TempoMap map = song.tempoMap();
  const FrameRange span = map.frames(o.span());
  const Room room = roomAfter(listening.phrases, span, map.sampleRate());
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
  constexpr double kUnderSourceLu = 8;
  const PrintLevel level = measurePrint(*kinds.find(o.kind), o, map, listening);
  if (level.print > -100 && level.source > -70)
    o.settings["wet_db"] = std::clamp(std::round((level.source - kUnderSourceLu - level.print) * 10) / 10, -40.0, 12.0);
}

} // namespace

PrintLevel measurePrint(const Kind& kind, const Ornament& o, const TempoMap& map, const Listening& listening) {
  const FlushDenormals guard;
  const Placed placed{o, map};
  const PrintPlan plan = kind.plan(placed);
  PrintLevel level;
  if (!plan.sounds) return level;
  PlainSounds sounds(plan.reads, listening);
  const Source source(placed);
  const std::int64_t window = std::max<std::int64_t>(source.frames(), std::llround(0.05 * map.sampleRate()));

  StereoBuffer heard(source.frames()), scratch;
  for (std::int64_t at = 0; at < heard.frames(); at += kPrintBlock)
    source.read(sounds, at, heard.span().part(at, std::min(kPrintBlock, heard.frames() - at)), scratch);
  level.source =
      loudestWindowLufs(kWeightedPower(heard.left(), heard.right(), heard.frames(), map.sampleRate()), window);

  const auto voice = kind.start(placed, sounds);
  if (!voice) return level;
  const auto longest = source.frames() + std::llround(kMeasuredSeconds * map.sampleRate());
  StereoBuffer print;
  while (print.frames() < longest) {
    const std::int64_t at = print.frames();
    print.resize(at + kPrintBlock);
    const std::int64_t n = voice->render(print.span().part(at, kPrintBlock));
    if (n == kPrintBlock) continue;
    print.resize(at + n);
    break;
  }
  level.print =
      loudestWindowLufs(kWeightedPower(print.left(), print.right(), print.frames(), map.sampleRate()), window);
  return level;
}

Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Listening& listening) {
  Ornament o;
  o.id = freshOrnamentId(song);
  o.kind = kind;
  o.on = row;
  o.start = stretch.begin;
  o.length = stretch.length();
  if (kind == "delay-throw") fitDelayThrow(kinds, song, o, listening);
  if (kind == "gap") tieToLanding(song, o);
  return o;
}

} // namespace ivrin
