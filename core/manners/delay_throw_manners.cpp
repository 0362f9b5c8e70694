// delay-throw: its manners.
#include "manners/fitting.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class DelayThrowManners : public Manners {
 public:
  std::string_view kind() const override { return "delay-throw"; }

  void fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    const FrameRange span = map.frames(o.span());
    const Room room = roomAfter(at.around.phrases, span, map.sampleRate());
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
    fitLevel(o, at, 8);
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("A throw stands here already: four tries (Y) vary it, Ctrl+D puts another.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& delayThrowManners() {
  static const DelayThrowManners m;
  return m;
}

} // namespace ivrin
