#include "analysis/sections.h"

#include "test_support/found_scores.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cstdlib>

using namespace ivrin;
using namespace ivrin::test;

// Fourteen songs, a second each; IVRIN_TAKES=4 plays each of them four times.
TEST_CASE("sections of made songs are found within a bar, and named alike where they come back", "[sections][heavy]") {
  SectionScores all;
  const int takes = std::getenv("IVRIN_TAKES") ? std::atoi(std::getenv("IVRIN_TAKES")) : 1;
  for (int i = 0; i < takes * madeFormCount(); ++i) {
    const MadeForm song = madeForm(i % madeFormCount(), i / madeFormCount());
    const auto sections = sectionsIn(song);
    if (song.starts.empty()) CHECK(sections.empty());
    for (const FoundSection& s : sections) {
      CHECK(s.confidence > 0);
      CHECK(s.confidence <= 1);
    }
    all += scored(song, sections);
  }
  INFO(all.starts.found << " of " << all.starts.there << " found, " << all.starts.wrong << " of " << all.starts.claimed
                        << " wrong, " << all.exact << " exact; " << all.named << " of " << all.pairs
                        << " pairs named as they are");
  CHECK(all.starts.share() >= 0.9);
  CHECK(all.starts.falseShare() <= 0.1);
  CHECK(all.exact >= 0.85 * all.starts.there);
  CHECK(all.named >= 0.9 * all.pairs);
}

TEST_CASE("noise, silence and what is short have no sections", "[sections]") {
  MadeForm song;
  song.rate = 24000;
  song.stems.emplace_back(24000 * 60);
  CHECK(sectionsIn(song).empty());
  song.stems.front() = fill(24000 * 60, noise(3, 0.2));
  CHECK(sectionsIn(song).empty());
  song.stems.front() = fill(24000 * 5, noise(3, 0.2));
  CHECK(sectionsIn(song).empty());
  CHECK(findSections({}, TempoMap(), {Frames(0), Frames(1000)}).empty());
}
