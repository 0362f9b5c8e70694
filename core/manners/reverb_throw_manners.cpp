// reverb-throw: its manners.
#include "manners/fitting.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class ReverbThrowManners : public Manners {
 public:
  std::string_view kind() const override { return "reverb-throw"; }

  void fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    const FrameRange span = map.frames(o.span());
    const Room room = roomAfter(at.around.phrases, span, map.sampleRate());
    // Three seconds, or as much as has fallen 40 dB when the next phrase comes.
    double decay = 3;
    if (room.next)
      decay = std::min(decay, 1.5 * static_cast<double>((*room.next - room.sounding).count) / map.sampleRate());
    o.settings = {{"character", "plate"},
                  {"decay_seconds", std::max(0.4, std::round(decay * 100) / 100)},
                  {"pre_delay", "1/64"},
                  {"low_cut_hz", 250.0},
                  {"duck_db", 6.0}};
    fitLevel(o, at, 8);
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
