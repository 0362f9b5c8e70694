// tape: its manners.
#include "manners/fitting.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

namespace ivrin {
namespace {

/// These come to their end and leave the rest of the span.
bool parted(const std::string& shape) {
  return shape == "stop" || shape == "spin-back" || shape == "custom";
}

class TapeManners : public Manners {
 public:
  std::string_view kind() const override { return "tape"; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    Heard heard;
    endOnLanding(at.song, o);
    keepAttack(o, at, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    return PressedAgain{withNextChoice(o, *allKinds().find(o.kind), "shape"), worded("shape"), {}};
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
