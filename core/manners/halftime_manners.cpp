// halftime: its manners.
#include "manners/fitting.h"
#include "time/note_value.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class HalftimeManners : public Manners {
 public:
  std::string_view kind() const override { return "halftime"; }
  bool replacesRow() const override { return true; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    const Beats bar = map.meterAt(o.start).barLength();
    Heard heard;
    endOnLanding(at.song, o);
    const Beats whole = o.length; // its cycle is of the grid, wherever it ends
    keepAttack(o, at, heard);
    if (whole >= bar) return heard; // the cycle's own default is a bar
    for (const NoteValue& n : allNoteValues(map, o.start))
      if (n.beats(map, o.start) == whole) {
        o.settings["cycle"] = n.text();
        return heard;
      }
    o.settings["cycle"] = std::max(1.0, (map.secondsAt(o.start + whole).value - map.secondsAt(o.start).value) * 1000);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return o.start == stretch.begin; // it may have been drawn to its landing
  }

  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again to switch between dropped and kept pitch.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song&) const override {
    return PressedAgain{withNextChoice(o, *allKinds().find(o.kind), "pitch"), worded("pitch"), {}};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& halftimeManners() {
  static const HalftimeManners m;
  return m;
}

} // namespace ivrin
