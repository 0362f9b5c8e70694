// Patterns with names: those that ship, and those a user kept, each an open JSON file of its own:
// {"format": "ivrin-pattern", "version": 1, "name": "…", "steps": [{"level": 1, "side": -0.5, "semitones": 3,
// "reversed": true}, …]}; what a step does not say is 1, 0, 0, false.
#pragma once

#include "patterns/pattern.h"
#include "song/problem.h"

#include <filesystem>
#include <optional>
#include <string_view>

namespace ivrin {

struct NamedPattern {
  std::string name;
  Pattern steps;
  friend bool operator==(const NamedPattern&, const NamedPattern&) = default;
};

/// A dozen and more, named by what they do.
const std::vector<NamedPattern>& shippedPatterns();

/// Text of a pattern file and back. Nothing, with problems that name the place, where it is not one: levels 0..4,
/// sides −1..1, semitones −24..24, 1 to kMostSteps steps, names of 1 to 200 bytes.
std::string patternText(const NamedPattern& p);
std::optional<NamedPattern> parsePattern(std::string_view text, Problems& problems);

/// All that can be read in a folder, by name; what cannot is named in `problems` and left alone.
std::vector<NamedPattern> patternsIn(const std::filesystem::path& folder, Problems& problems);
/// Written into the folder (made where it is not there), in place of one of the same name. False, with `why`.
bool keepPattern(const std::filesystem::path& folder, const NamedPattern& p, std::string& why);

} // namespace ivrin
