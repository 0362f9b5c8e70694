// delay-throw: its manners.
#include "manners/level_fit.h"
#include "manners/tail_room.h"
#include "song/curve.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class DelayThrowManners : public Manners {
 public:
  std::string_view kind() const override { return "delay-throw"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::gap ? 3 : opening == Opening::Kind::hit ? 3 : 0;
  }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    const FrameRange span = map.frames(o.span());
    Heard heard;
    const TailRoom reach = tailRoomAfter(o, at, heard);
    const double quarter = 60 / map.bpmAt(o.start);
    const auto seconds = [&](Frames a, Frames b) { return static_cast<double>((b - a).count) / map.sampleRate(); };
    const double rest = reach.next ? seconds(reach.sounding, *reach.next) : reach.runs ? 0 : 2 * reach.twoBars;
    const char* time = rest >= 3 * quarter ? "1/4" : "1/8.";
    double pass = rest >= 3 * quarter ? quarter : 0.75 * quarter;
    // Echo k sounds k passes after the source and has been round k − 1 times; 30 dB must be gone at the next phrase, or
    // after two bars of a row that does not rest.
    const double until = reach.next   ? seconds(span.begin, *reach.next)
                         : reach.runs ? seconds(span.begin, span.end) + reach.twoBars
                                      : seconds(span.begin, reach.sounding) + rest;
    if (until < 3 * pass) { // hardly room for two
      time = "1/8";
      pass = quarter / 2;
    }
    const double rounds = std::max(1.0, until / pass - 1);
    const double feedback = std::clamp(100 * std::pow(10.0, -30.0 / 20.0 / rounds), 10.0, 72.0);
    o.settings = {{"time_left", time},
                  {"time_right", time},
                  {"pattern", "ping-pong"},
                  {"feedback_percent", std::round(feedback)},
                  {"low_cut_hz", 200.0},
                  {"high_cut_hz", 7000.0},
                  {"duck_db", reach.inside ? kDeepDuck : 6.0},
                  {"key_follow", true}, // a step that is tried is a note of the song
                  {"width_percent", 130.0}};
    fitLevel(o, at, {.underLu = 8, .lowCutHz = 200}, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::string nextPress(const std::string& /*key*/) const override {
    return worded("Press Y for four ideas, or Ctrl+D to copy it to the next landing.");
  }
  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{
        {}, {}, worded("There is a throw here already. Press Y for four ideas, or Ctrl+D to place another.")};
  }

  std::vector<std::string_view> growsBy(const Settings& set) const override {
    const TableSpec& table = allKinds().find("delay-throw")->table();
    const auto atTheEnd = [&](const char* key) {
      const auto curve = Curve::from(settingOr(table, set, key));
      return curve ? curve->points().back().y : 0;
    };
    if (std::max(atTheEnd("feedback_percent"), atTheEnd("feedback_right_percent")) <= 100) return {};
    return {"feedback_percent", "feedback_right_percent"};
  }

  bool isHeard(const Settings& set, std::string_view key) const override {
    if (key != "key_follow") return true;
    return SettingsView(allKinds().find("delay-throw")->table(), set).number("step_semitones") != 0;
  }
};

} // namespace

const Manners& delayThrowManners() {
  static const DelayThrowManners m;
  return m;
}

} // namespace ivrin
