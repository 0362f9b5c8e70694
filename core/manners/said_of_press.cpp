#include "manners/said_of_press.h"

#include "time/plain_number.h"
#include "words/words.h"

#include <cmath>
#include <vector>

namespace ivrin {
namespace {

std::string number(double v, int places = 1) {
  const double scale = std::pow(10.0, places);
  const double rounded = std::round(v * scale) / scale;
  return (rounded < 0 ? "−" : "") + shortestNumber(std::abs(rounded));
}

std::string levelOf(const Heard& h) {
  const std::string lu = number(std::abs(h.overSourceLu));
  std::string against = h.overSourceLu > 0.05    ? worded("%1 LU over its source", lu)
                        : h.overSourceLu < -0.05 ? worded("%1 LU under its source", lu)
                                                 : worded("as loud as its source");
  switch (h.level) {
  case Heard::Level::raised:
    return worded("%1, raised so that it is heard", against);
  case Heard::Level::heldUnderSource:
    return worded("%1, not raised further over its source", against);
  case Heard::Level::heldInMix:
    return worded("%1, held so that it does not jump out", against);
  case Heard::Level::heldForLows:
    return worded("%1, held for its lows", against);
  default:
    return against;
  }
}

} // namespace

std::string saidOfPress(const Heard& h, const std::function<std::string(Beats)>& place) {
  std::vector<std::string> parts;
  if (h.level != Heard::Level::none) {
    parts.push_back(worded("source %1 LUFS", number(h.sourceLufs)));
    if (h.roomSeconds > 0) parts.push_back(worded("the row dies away in %1 s", number(h.roomSeconds)));
  }
  if (h.runs) parts.push_back(worded("no rest within two bars"));
  if (h.next) parts.push_back(worded("next phrase at %1", place(*h.next)));
  if (h.previous) parts.push_back(worded("previous phrase ends at %1", place(*h.previous)));
  if (h.cutAtNext) parts.push_back(worded("cut there"));
  if (h.lowCutHz) parts.push_back(worded("low cut %1 Hz", number(*h.lowCutHz, 0)));
  if (h.level != Heard::Level::none) parts.push_back(levelOf(h));
  if (h.underMixLu)
    parts.push_back(*h.underMixLu >= 0 ? worded("%1 LU under the mix", number(*h.underMixLu))
                                       : worded("%1 LU over the mix", number(-*h.underMixLu)));
  if (h.attackKeptMs) parts.push_back(worded("back %1 ms early for the attack there", number(*h.attackKeptMs)));
  std::string line;
  for (const std::string& p : parts) line += (line.empty() ? "" : "; ") + p;
  return line;
}

} // namespace ivrin
