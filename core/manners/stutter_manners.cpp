// stutter: its manners.
#include "manners/fitting.h"
#include "song/settings/settings_view.h"

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

class StutterManners : public Manners {
 public:
  std::string_view kind() const override { return "stutter"; }

  void fit(Ornament& o, const PressedAt& at) const override {
    endOnLanding(at.song, o);
    o.settings["snap_to_onset"] = true;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  /// Sixteenths, eighths, a run that doubles into its end, and round.
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
    return PressedAgain{std::move(next), "cells", {}};
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
