// pulse: its manners.
#include "manners/fitting.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <array>

namespace ivrin {
namespace {

/// What the key goes round through: straight, every third step silent, and three, three, two.
const std::array<List, 3>& figures() {
  static const std::array<List, 3> all = {List{1.0}, List{1.0, 1.0, 0.0},
                                          List{1.0, 0.35, 0.35, 1.0, 0.35, 0.35, 1.0, 0.35}};
  return all;
}

class PulseManners : public Manners {
 public:
  std::string_view kind() const override { return "pulse"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::held ? 4 : opening == Opening::Kind::turn ? 1 : 0;
  }
  bool replacesRow() const override { return true; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    endOnLanding(at.song, o);
    o.settings["length_percent"] = 60.0;
    o.settings["fade_in"] = 5.0;
    o.settings["fade_out"] = 35.0;
    return {};
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again for the next pattern.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    const Value& now = settingOr(allKinds().find("pulse")->table(), o.settings, "levels");
    std::size_t next = 0;
    for (std::size_t i = 0; i < figures().size(); ++i)
      if (now == Value(figures()[i])) next = (i + 1) % figures().size();
    Ornament other = o;
    if (next == 0)
      other.settings.erase("levels");
    else
      other.settings["levels"] = figures()[next];
    return PressedAgain{std::move(other), worded("pattern"), {}};
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(allKinds().find("pulse")->table(), now);
    if (key == "depth_percent") return true;
    if (s.number("depth_percent") == 0) return false;
    const auto none = [&](const char* fade) { return s.value(fade) == Value(0.0); };
    const auto noneOf = [&](const char* list) { return s.value(list) == Value(List{Value()}); };
    if (key == "fade_in_bend" || key == "fade_in_bends") return !none("fade_in") || !noneOf("fade_ins");
    if (key == "fade_out_bend" || key == "fade_out_bends") return !none("fade_out") || !noneOf("fade_outs");
    return true;
  }
};

} // namespace

const Manners& pulseManners() {
  static const PulseManners m;
  return m;
}

} // namespace ivrin
