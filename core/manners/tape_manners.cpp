// tape: its manners.
#include "manners/fitting.h"
#include "song/curve.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// A machine that is switched off, with viscous and dry friction: v = (1 + β)·exp(−t/τ) − β, which is the law of the
/// bend under 0; and it does not fall silent before it stands.
constexpr double kStopBend = -0.2, kStopFade = 40;
constexpr double kStrokeSpeed = 1.6;
constexpr int kMostStrokes = 32;

/// These come to their end and leave the rest of the span.
bool parted(const std::string& shape) {
  return shape == "stop" || shape == "spin-back" || shape == "custom";
}

/// Forth and back by hand, a stroke on each eighth (on each quarter of what is longer than two bars of four), and forth
/// into the place where the row goes on. Drawn further from there.
Value strokes(double beats) {
  const double stroke = beats > 8 ? 1 : 0.5;
  const int count = std::clamp(static_cast<int>(std::lround(beats / stroke)), 1, kMostStrokes);
  std::vector<CurvePoint> points{{0, 0, 0}};
  for (int k = 0; k + 1 < count; ++k)
    for (const auto& [part, speed] : {std::pair{0.25, kStrokeSpeed}, {0.5, 0.0}, {0.75, -kStrokeSpeed}, {1.0, 0.0}})
      points.push_back({(k + part) / count, speed, 0});
  points.push_back({1, 1, 0});
  return Curve(std::move(points)).value();
}

class TapeManners : public Manners {
 public:
  std::string_view kind() const override { return "tape"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::held      ? 1
           : opening == Opening::Kind::landing ? 3
           : opening == Opening::Kind::turn    ? 2
                                               : 0;
  }
  bool replacesRow() const override { return true; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    Heard heard;
    o.settings = {{"bend", kStopBend}, {"fade", kStopFade}};
    endOnLanding(at.song, o);
    keepAttack(o, at, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again for the next shape.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    const Kind& kind = *allKinds().find(o.kind);
    if (SettingsView(kind.table(), o.settings).is("shape", "spin-back")) { // by hand, as it was drawn or to start with
      Ornament next = o;
      next.settings["shape"] = "custom";
      if (!o.settings.contains("speed")) next.settings["speed"] = strokes(o.length.quarters());
      return PressedAgain{std::move(next), worded("shape"), {}};
    }
    Ornament next = withNextChoice(o, kind, "shape");
    // A stop's own bend and fade are no other shape's, as long as nobody changed them.
    const bool stops = SettingsView(kind.table(), next.settings).is("shape", "stop");
    for (const auto& [key, own] : {std::pair{"bend", kStopBend}, {"fade", kStopFade}}) {
      const auto now = next.settings.find(key);
      if (stops && now == next.settings.end())
        next.settings[key] = own;
      else if (!stops && now != next.settings.end() && now->second == Value(own))
        next.settings.erase(now);
    }
    return PressedAgain{std::move(next), worded("shape"), {}};
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(allKinds().find("tape")->table(), now);
    const std::string& shape = s.text("shape");
    const bool locked = s.yes("pitch_lock");
    if (key == "lowest_semitones") return locked && shape != "custom";
    if (key == "lowest") return !locked && shape != "custom" && shape != "spin-back";
    if (key == "bottom_at") return shape == "dip" || shape == "spin-back";
    if (key == "bend") return shape != "custom";
    const bool extends = s.text("fit") == "extend" && !locked;
    if (key == "hold_silence") return extends || (s.number("halt_at") < 1 && parted(shape));
    if (key == "halt_at") return !extends && parted(shape);
    if (key == "speed") return shape == "custom";
    return true;
  }
};

} // namespace

const Manners& tapeManners() {
  static const TapeManners m;
  return m;
}

} // namespace ivrin
