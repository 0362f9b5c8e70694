// The tools a hand has for cells, one list for keys, menus and the open row.
#pragma once

#include "patterns/cells.h"

#include <optional>
#include <string>
#include <vector>

namespace ivrin {

struct PatternTool {
  enum class Id { everyNth, later, earlier, mirror, thin, fill, spread, sides, accent };
  Id id;
  std::string key;     // "pattern-thin"
  std::string name;    // "thin out"
  std::string meaning; // a sentence
};
const std::vector<PatternTool>& patternTools();

/// Steps of a bar from the first cell on, 1..64: what a pattern of one step is told apart into.
std::size_t stepsOfBar(const Cells& cells, const TempoMap& map);
/// The pattern as a tool takes it: one step alike for all becomes those of a bar.
Pattern toolPattern(const Cells& cells, const TempoMap& map);

struct ToolApplied {
  std::optional<Ornament> next; // nothing: `said` is why
  std::string said;             // what was done, as the measure line says it: "5 in 16"
};
/// What a tool makes of an ornament's cells. Pressed again some go on: every third, every fourth, every second; one
/// more step that sounds.
ToolApplied applied(PatternTool::Id tool, const Cells& cells, const TempoMap& map);

} // namespace ivrin
