#include "patterns/pattern_tools.h"

#include "words/words.h"

#include <algorithm>
#include <numeric>

namespace ivrin {

const std::vector<PatternTool>& patternTools() {
  using Id = PatternTool::Id;
  static const std::vector<PatternTool> all = {
      {Id::everyNth, "pattern-every", "mute every third",
       "Mutes every third cell. Press again for every fourth, then every second."},
      {Id::later, "pattern-later", "rotate later", "Moves the pattern one cell later."},
      {Id::earlier, "pattern-earlier", "rotate earlier", "Moves the pattern one cell earlier."},
      {Id::mirror, "pattern-mirror", "reverse order", "Plays the cells in reverse order."},
      {Id::thin, "pattern-thin", "thin out", "Mutes every second cell that plays."},
      {Id::fill, "pattern-fill", "fill in", "Turns muted cells on, softer."},
      {Id::spread, "pattern-spread", "spread evenly",
       "Spreads the playing cells evenly. Press again for more of them."},
      {Id::sides, "pattern-sides", "alternate L/R", "Pans cells left and right alternately."},
      {Id::accent, "pattern-accent", "accent beats", "Makes cells on strong beats louder."}};
  return all;
}

std::size_t stepsOfBar(const Cells& cells, const TempoMap& map) {
  const Beats from = cells.beat(cells.first());
  const std::int64_t next = cells.at(map.frameAt(from + map.meterAt(from).barLength()));
  return static_cast<std::size_t>(std::clamp<std::int64_t>(next - cells.first(), 1, 64));
}

Pattern toolPattern(const Cells& cells, const TempoMap& map) {
  Pattern p = cells.pattern();
  return p.size() == 1 ? atLeast(std::move(p), stepsOfBar(cells, map)) : p;
}

ToolApplied applied(PatternTool::Id tool, const Cells& cells, const TempoMap& map) {
  using Id = PatternTool::Id;
  const Pattern was = toolPattern(cells, map);
  const auto done = [&](const Pattern& p, std::string said) -> ToolApplied {
    Ornament next = cells.with(p);
    if (next.settings == cells.with(cells.pattern()).settings) return {{}, worded("no change: %1", said)};
    return {std::move(next), std::move(said)};
  };
  switch (tool) {
  case Id::everyNth: {
    const Pattern now = cells.pattern();
    const auto is = [&](int n) { // as an earlier press left it
      for (std::size_t i = 0; i < std::lcm(now.size(), static_cast<std::size_t>(n)); ++i)
        if (now[i % now.size()].sounds() == ((i + 1) % static_cast<std::size_t>(n) == 0)) return false;
      return true;
    };
    const int n = is(3) ? 4 : is(4) ? 2 : 3;
    const std::size_t round = std::lcm(was.size(), static_cast<std::size_t>(n));
    return done(silentEvery(round <= kMostSteps ? atLeast(was, round) : was, n), n == 3 ? worded("every third muted")
                                                                                 : n == 4
                                                                                     ? worded("every fourth muted")
                                                                                     : worded("every second muted"));
  }
  case Id::later:
    return done(turned(was, 1), worded("rotated one cell later"));
  case Id::earlier:
    return done(turned(was, -1), worded("rotated one cell earlier"));
  case Id::mirror:
    return done(mirrored(was), worded("order reversed"));
  case Id::thin:
    return done(thinned(was), worded("thinned out"));
  case Id::fill:
    return done(filled(was), worded("filled in"));
  case Id::spread: {
    const int n = static_cast<int>(was.size());
    // The next odd number; from all of them, or all but one, it begins with three again.
    const int now = sounding(was);
    int next = now >= n - 1 ? 3 : now % 2 == 0 ? now + 1 : now + 2;
    next = std::clamp(next, 1, n);
    return done(spread(was, next), worded("%1 in %2", next, n));
  }
  case Id::sides:
    if (!cells.has().sides) return {{}, worded("its cells cannot be panned")};
    return done(sidesInTurn(was.size() % 2 != 0 ? atLeast(was, 2 * was.size()) : was), worded("alternate L/R"));
  case Id::accent: {
    std::vector<Beats> at(was.size());
    for (std::int64_t k = cells.first() + static_cast<std::int64_t>(was.size()) - 1; k >= cells.first(); --k)
      at[cells.place(k, was.size())] = cells.beat(k);
    return done(accented(was, map, at), worded("beats accented"));
  }
  }
  return {};
}

} // namespace ivrin
