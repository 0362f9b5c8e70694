// treat: its manners.
#include "dsp/measure/loudness.h"
#include "manners/fitting.h"
#include "manners/in_the_mix.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kFirstMix = 30, kUnderSource = 1; // percent; LU that the plate stays under what it treats

class TreatManners : public Manners {
 public:
  std::string_view kind() const override { return "treat"; }

  std::optional<Ornament> treating(const std::string& row, BeatRange stretch, const Processor& how) const override {
    Ornament o;
    o.kind = kind();
    o.on = row;
    o.start = stretch.begin;
    o.length = stretch.length();
    o.settings = {{"dry", "replace"}, {"mix_percent", 100.0}, {"tail_seconds", 0.0}};
    o.finish.push_back(how);
    return o;
  }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    // A plate of 1.2 s at 30 %, the dry kept; more of it where it would not be heard in the mix, as long as the row
    // does not get louder for it.
    Heard heard;
    o.settings = {{"dry", "keep"}, {"mix_percent", kFirstMix}};
    o.finish = {{"reverb", {{"character", "plate"}, {"decay_seconds", 1.2}, {"mix_percent", 100.0}}}};
    const TempoMap& map = at.context.map;
    const double rate = map.sampleRate();
    const PressSound s = soundOf(at.kind, o, at.context, at.around);
    const FrameRange bar{map.frameAt(o.span().end - map.meterAt(o.start).barLength()), map.frameAt(o.span().end)};
    const MixFit fit = fitInMix(s.print, s.first, at.around.before(kMixRow), pathToMix(at.song, o.on), bar, rate);
    const double source = loudestWindowLufs(s.source, rate, s.window),
                 print = loudestWindowLufs(s.print, rate, s.window);
    if (print < -100 || source < -70) return heard;
    const double most = std::min(source - kUnderSource - print, fit.quietDb),
                 gain = std::clamp(fit.heardDb, 0.0, std::max(0.0, most)),
                 percent = std::clamp(std::round(kFirstMix * Decibels(gain).gain()), kFirstMix, 100.0);
    o.settings["mix_percent"] = percent;
    const double more = Decibels::ofGain(percent / kFirstMix).value;
    heard.sourceLufs = source;
    heard.overSourceLu = print + more - source;
    heard.underMixLu = fit.underMix(more);
    heard.level = percent == kFirstMix       ? Heard::Level::asMeant
                  : fit.heardDb > more + 0.3 ? Heard::Level::heldUnderSource
                                             : Heard::Level::raised;
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::string nextPress(const std::string& /*key*/) const override {
    return worded("Add processors in its finish below.");
  }
  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("This is treated already. Change its sound in the finish below.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& treatManners() {
  static const TreatManners m;
  return m;
}

} // namespace ivrin
