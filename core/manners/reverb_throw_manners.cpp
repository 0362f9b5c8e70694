// reverb-throw: its manners.
#include "manners/level_fit.h"
#include "manners/reach.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class ReverbThrowManners : public Manners {
 public:
  std::string_view kind() const override { return "reverb-throw"; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    Heard heard;
    const Reach reach = reachAfter(o, at, heard);
    // Three seconds, or as much as has fallen 40 dB when the next phrase comes; where the row does not rest, two beats
    // or two seconds.
    double decay = 3;
    if (reach.next)
      decay = std::min(decay, 1.5 * static_cast<double>((*reach.next - reach.sounding).count) / map.sampleRate());
    else if (reach.runs)
      decay = std::min(decay, std::max(2.0, 120 / map.bpmAt(o.start)));
    o.settings = {{"character", "plate"},
                  {"decay_seconds", std::max(0.4, std::round(decay * 100) / 100)},
                  {"pre_delay", "1/64"},
                  {"low_cut_hz", 250.0},
                  {"duck_db", reach.inside ? kDeepDuck : 6.0}};
    fitLevel(o, at, {.underLu = 8, .lowCutHz = 250}, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("A throw stands here already: four tries (Y) vary it, Ctrl+D puts another.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& reverbThrowManners() {
  static const ReverbThrowManners m;
  return m;
}

} // namespace ivrin
