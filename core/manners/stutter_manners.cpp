// stutter: its manners.
#include "dsp/measure/loudness.h"
#include "dsp/measure/onsets.h"
#include "manners/fitting.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

const TableSpec& stutterTable() {
  return allKinds().find("stutter")->table();
}

/// First slow, then twice as fast, and twice again into the end: half of the span, a quarter of it, the rest.
List runInto(const Ornament& o) {
  const double length = o.length.quarters();
  const int first = length < 1 ? 16 : length < 8 ? 8 : 4;
  const auto value = [](int lower) { return "1/" + std::to_string(lower); };
  const double count = std::clamp(std::floor(length / 2 * first / 4), 1.0, 64.0);
  return {List{value(first), count}, List{value(2 * first), count}, List{value(4 * first), 1.0}};
}

constexpr double kMostMoreLu = 2, kLeastLu = 12;

/// The source becomes what begins first in the stretch and is no softer than a quarter of its loudest.
void takeFirstAttack(Ornament& o, const PressedAt& at) {
  const TempoMap& map = at.context.map;
  const FrameRange span = map.frames(o.span());
  StereoBuffer there(span.length());
  const RowReader read = at.around.before(o.on);
  OnsetFinder finder(map.sampleRate());
  double loudest = 0;
  for (std::int64_t from = 0; from < there.frames(); from += kPrintBlock) {
    const StereoSpan part = there.span().part(from, std::min(kPrintBlock, there.frames() - from));
    read(span.begin + Frames(from), part);
    finder.add(part.left, part.right, part.frames);
    loudest = std::max(loudest, samplePeak(part.left, part.right, part.frames));
  }
  for (const Onset& onset : finder.finish()) {
    const std::int64_t n = std::min<std::int64_t>(std::llround(0.05 * map.sampleRate()), there.frames() - onset.frame);
    if (samplePeak(there.left() + onset.frame, there.right() + onset.frame, n) < loudest / 4) continue;
    const Beats from = map.beatAt(span.begin + Frames(onset.frame - std::llround(0.02 * map.sampleRate())));
    o.source = {{std::nullopt, from, Beats(kTicksPerQuarter / 2), 0}};
    return;
  }
}

class StutterManners : public Manners {
 public:
  std::string_view kind() const override { return "stutter"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::hit    ? 1
           : opening == Opening::Kind::held ? 3
           : opening == Opening::Kind::turn ? 3
                                            : 0;
  }
  bool replacesRow() const override { return true; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    endOnLanding(at.song, o);
    o.settings["snap_to_onset"] = true;
    if (const PrintLevel first = measurePrint(at.kind, o, at.context, at.around);
        first.source > -70 && first.print < first.source - kLeastLu)
      takeFirstAttack(o, at); // nothing begins near the start: the first thing that does, wherever it is
    // An attack heard again and again is louder than it was among softer sounds: no more than it may stand out.
    const PrintLevel level = measurePrint(at.kind, o, at.context, at.around);
    if (level.source > -70 && level.print > level.source + kMostMoreLu)
      o.gainDb = std::round(2 * (level.source + kMostMoreLu - level.print)) / 2;
    return {};
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  /// Sixteenths, eighths, a run that doubles into its end, and round.
  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again for another cell length.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    const SettingsView s(stutterTable(), o.settings);
    Ornament next = o;
    if (!s.value("pattern").isNull()) {
      next.settings.erase("pattern");
      next.settings.erase("slice");
    } else if (s.value("slice") == Value("1/8")) {
      next.settings["pattern"] = runInto(o);
    } else {
      next.settings["slice"] = "1/8";
    }
    return PressedAgain{std::move(next), worded("cells"), {}};
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(stutterTable(), now);
    if (key == "slice") return s.value("pattern").isNull();
    if (key == "pattern_fill") return !s.value("pattern").isNull();
    return true;
  }
};

} // namespace

const Manners& stutterManners() {
  static const StutterManners m;
  return m;
}

} // namespace ivrin
