#include "analysis/sections.h"

#include "analysis/phrases.h"
#include "test_support/made_forms.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cstdio>
#include <cstdlib>

using namespace ivrin;
using namespace ivrin::test;

namespace {

std::vector<FoundSection> sectionsOf(const MadeForm& song) {
  std::vector<RowPhrases> phrases;
  std::vector<RowChroma> notes;
  FrameRange all{Frames(0), Frames(song.stems.front().frames())};
  for (const StereoBuffer& s : song.stems) {
    phrases.push_back(findPhrases(readerOf(s), all, song.rate));
    notes.push_back(rowChroma(readerOf(s), all, song.rate));
  }
  std::vector<RowOfForm> rows;
  for (std::size_t i = 0; i < phrases.size(); ++i) rows.push_back({&phrases[i].octaves, &notes[i]});
  const TempoMap map({{Beats(0), song.bpm}}, {{Beats(0), song.beatsInBar, 4}}, Seconds(0), song.rate);
  return findSections(rows, map, all);
}

} // namespace

TEST_CASE("sections of made songs are found within a bar, and named alike where they come back", "[sections][heavy]") {
  int there = 0, found = 0, claimed = 0, wrong = 0, pairs = 0, named = 0;
  const int takes = std::getenv("IVRIN_TAKES") ? std::atoi(std::getenv("IVRIN_TAKES")) : 1;
  for (int i = 0; i < takes * madeFormCount(); ++i) {
    const MadeForm song = madeForm(i % madeFormCount(), i / madeFormCount());
    const auto sections = sectionsOf(song);
    std::string told;
    std::vector<std::string> names(song.starts.size());
    for (const FoundSection& s : sections) {
      const int bar = static_cast<int>(s.at.quarters() / song.beatsInBar + 0.5);
      char text[60];
      std::snprintf(text, sizeof text, " %s%d(%.2f)", s.name.c_str(), bar, s.confidence);
      told += text;
      if (bar == 0) {
        if (!names.empty()) names[0] = s.name;
        continue;
      }
      ++claimed;
      const auto near =
          std::find_if(song.starts.begin(), song.starts.end(), [&](int x) { return std::abs(x - bar) <= 1; });
      wrong += near == song.starts.end();
      if (near != song.starts.end()) names[static_cast<std::size_t>(near - song.starts.begin())] = s.name;
    }
    for (std::size_t k = 1; k < song.starts.size(); ++k) {
      ++there;
      found += !names[k].empty();
      for (std::size_t j = 0; j < k; ++j) {
        if (names[k].empty() || names[j].empty()) continue;
        ++pairs;
        named += (song.letters[k] == song.letters[j]) == (names[k][0] == names[j][0]);
      }
    }
    if (std::getenv("IVRIN_TELL_SECTIONS")) {
      std::string is;
      for (std::size_t k = 0; k < song.starts.size(); ++k)
        is += std::string(" ") + song.letters[k] + std::to_string(song.starts[k]);
      std::fprintf(stderr, "%-30s %s\n%30s %s\n", song.name.c_str(), is.c_str(), "", told.c_str());
    }
    if (song.starts.empty()) CHECK(sections.empty());
  }
  INFO(found << " of " << there << " found, " << wrong << " of " << claimed << " wrong, " << named << " of " << pairs
             << " pairs named as they are");
  if (std::getenv("IVRIN_TELL_SECTIONS"))
    std::fprintf(stderr, "%d of %d, wrong %d of %d, names %d of %d\n", found, there, wrong, claimed, named, pairs);
  CHECK(found >= 0.85 * there);
  CHECK(wrong <= 0.15 * claimed);
  CHECK(named >= 0.85 * pairs);
}
