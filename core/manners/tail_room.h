// How far what follows its source may reach: to the next phrase after a rest, or two bars into a row that does not
// rest.
#pragma once

#include "manners/manners.h"

namespace ivrin {

struct TailRoom {
  Frames sounding;            // where the row goes silent after the source's end; the end itself in a rest
  std::optional<Frames> next; // the next phrase after a rest that starts within two bars
  bool inside = false;        // the row goes on over the source's end
  bool runs = false;          // and does not rest within two bars
  double twoBars = 0;         // seconds
};
/// Also said in `heard`.
TailRoom tailRoomAfter(const Ornament& o, const PressedAt& at, Heard& heard);

/// What throws inside a phrase are turned down by while it sounds, dB.
inline constexpr double kDeepDuck = 12;

} // namespace ivrin
