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
  std::string against = h.overSourceLu > 0.05    ? worded("%1 LU above its source", lu)
                        : h.overSourceLu < -0.05 ? worded("%1 LU below its source", lu)
                                                 : worded("as loud as its source");
  switch (h.level) {
  case Heard::Level::raised:
    return worded("%1, raised to be heard", against);
  case Heard::Level::heldUnderSource:
    return worded("%1, not raised further above its source", against);
  case Heard::Level::heldInMix:
    return worded("%1, level reduced to fit the mix", against);
  case Heard::Level::heldForLows:
    return worded("%1, level reduced because of its lows", against);
  default:
    return against;
  }
}

} // namespace

std::string saidOfPress(const Heard& h, const std::function<std::string(Beats)>& place) {
  std::vector<std::string> parts;
  if (h.level != Heard::Level::none) {
    parts.push_back(worded("source %1 LUFS", number(h.sourceLufs)));
    if (h.roomSeconds > 0) parts.push_back(worded("the row fades in %1 s", number(h.roomSeconds)));
  }
  if (h.runs) parts.push_back(worded("no rest within two bars"));
  if (h.next) parts.push_back(worded("next phrase at %1", place(*h.next)));
  if (h.previous) parts.push_back(worded("previous phrase ends at %1", place(*h.previous)));
  if (h.cutAtNext) parts.push_back(worded("cut there"));
  if (h.lowCutHz) parts.push_back(worded("low cut %1 Hz", number(*h.lowCutHz, 0)));
  if (h.level != Heard::Level::none) parts.push_back(levelOf(h));
  if (h.underMixLu)
    parts.push_back(*h.underMixLu >= 0 ? worded("%1 LU below the mix", number(*h.underMixLu))
                                       : worded("%1 LU above the mix", number(-*h.underMixLu)));
  if (h.attackKeptMs) parts.push_back(worded("returns %1 ms early for a transient", number(*h.attackKeptMs)));
  std::string line;
  for (const std::string& p : parts) line += (line.empty() ? "" : "; ") + p;
  return line;
}

} // namespace ivrin
