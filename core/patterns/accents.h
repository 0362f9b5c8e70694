// How much weight a place in the bar has.
#pragma once

#include "time/tempo_map.h"

namespace ivrin {

enum class Accent {
  none,    // between
  offbeat, // half of a beat
  beat,    // a beat
  halfBar, // the middle of a bar with an even number of beats, four or more
  bar      // the bar line
};

inline Accent accentAt(const TempoMap& map, Beats at) {
  const BarPosition p = map.barAt(at);
  const MeterEntry& m = map.meterAt(at);
  if (p.tick == 0 && p.beat == 1) return Accent::bar;
  if (p.tick == 0 && m.count >= 4 && m.count % 2 == 0 && p.beat == m.count / 2 + 1) return Accent::halfBar;
  if (p.tick == 0) return Accent::beat;
  return p.tick * 2 == m.beatLength().ticks ? Accent::offbeat : Accent::none;
}

} // namespace ivrin
