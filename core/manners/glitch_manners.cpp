// glitch: its manners.
#include "manners/fitting.h"
#include "ornaments/glitch.h"
#include "patterns/accents.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

namespace ivrin {
namespace {

const TableSpec& glitchTable() {
  return allKinds().find("glitch")->table();
}

constexpr double kFirstChance = 35; // percent, off the strong beats

class GlitchManners : public Manners {
 public:
  std::string_view kind() const override { return "glitch"; }
  int suits(Opening::Kind opening) const override { return opening == Opening::Kind::turn ? 4 : 0; }
  bool replacesRow() const override { return true; }

  /// Sixteenths, loops that hold a stroke or a part of it, nothing on the strong beats.
  Heard fit(Ornament& o, const PressedAt& at) const override {
    endOnLanding(at.song, o);
    const TempoMap& map = at.context.map;
    const Beats bar = map.barStart(map.barAt(o.start).bar), length = map.meterAt(o.start).barLength();
    List chances;
    for (Beats b = bar; b < bar + length; b = b + Beats(kTicksPerQuarter / 4))
      chances.emplace_back(accentAt(map, b) >= Accent::halfBar ? 0.0 : kFirstChance);
    o.settings["chance_percent"] = std::move(chances);
    o.settings["loop"] = List{"1/64", "1/16"};
    return {};
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  /// Rolled again.
  std::string nextPress(const std::string& key) const override { return worded("Press %1 again to roll again.", key); }
  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    if (!SettingsView(glitchTable(), o.settings).value("kept_ms").isNull())
      return PressedAgain{{}, {}, worded("The roll is locked. Unlock it to roll again.")};
    Ornament next = o;
    next.seed = o.seed < 1000000 ? o.seed + 1 : 1;
    return PressedAgain{std::move(next), worded("roll"), {}};
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(glitchTable(), now);
    const bool kept = !s.value("kept_ms").isNull();
    if (key == "mix_percent") return true;
    if (s.number("mix_percent") == 0) return false;
    if (key == "bars" || key == "chance_percent" || key == "loop" || key == "pitch_spread_semitones") return !kept;
    if (key == "kept_semitones") return kept;
    if (key == "glide_percent") return kept || s.number("pitch_spread_semitones") > 0;
    if (key == "sweep_hz" || key == "stereo_opposed") return s.number("resonance_percent") > 0;
    return true;
  }
};

} // namespace

const Manners& glitchManners() {
  static const GlitchManners m;
  return m;
}

} // namespace ivrin
