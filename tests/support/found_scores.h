// What is found of made rows and songs, against what they were made of: for tests and the page of findings alike.
#pragma once

#include "analysis/openings.h"
#include "analysis/roles.h"
#include "analysis/sections.h"
#include "test_support/made_forms.h"
#include "test_support/made_openings.h"

#include <string>
#include <vector>

namespace ivrin::test {

struct FoundScore {
  int there = 0, found = 0, claimed = 0, wrong = 0;
  double share() const { return static_cast<double>(found) / std::max(there, 1); }
  double falseShare() const { return static_cast<double>(wrong) / std::max(claimed, 1); }
  FoundScore& operator+=(const FoundScore& o);
};

std::vector<Opening> openingsIn(const StereoBuffer& sound, const TempoMap& map);
struct OpeningScores {
  FoundScore gaps, held, hits;
  int entries = 0; // of the gaps found, those whose next entry is right to 30 ms
  OpeningScores& operator+=(const OpeningScores& o);
};
OpeningScores scored(const MadeOpenings& made, const std::vector<Opening>& openings, const TempoMap& map);

std::vector<FoundSection> sectionsIn(const MadeForm& song);
struct SectionScores {
  FoundScore starts;        // within a bar; the first one, which is no feat, left out
  int exact = 0;            // on the very bar line
  int pairs = 0, named = 0; // of sections found, and those named alike or not as they are alike or not
  std::string told;         // what was found
  SectionScores& operator+=(const SectionScores& o);
};
SectionScores scored(const MadeForm& song, const std::vector<FoundSection>& sections);

/// What a made row is, by its name.
RowRole roleOf(const MadeOpenings& made);
/// What it is heard to be.
RowRole roleHeard(const MadeOpenings& made);

} // namespace ivrin::test
