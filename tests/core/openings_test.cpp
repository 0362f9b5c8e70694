#include "analysis/openings.h"
#include "manners/manners.h"
#include "test_support/found_scores.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cstdlib>

using namespace ivrin;
using namespace ivrin::test;

// Made rows one after the other, a tenth of a second each; IVRIN_TAKES=4 plays each of them four times.
TEST_CASE("gaps, held notes and lone hits are found on made rows, and few that are not there", "[openings][heavy]") {
  OpeningScores all;
  const int takes = std::getenv("IVRIN_TAKES") ? std::atoi(std::getenv("IVRIN_TAKES")) : 1;
  for (int i = 0; i < takes * madeOpeningsCount(); ++i) {
    const MadeOpenings made = madeOpenings(i % madeOpeningsCount(), i / madeOpeningsCount());
    const TempoMap map({{Beats(0), made.bpm}}, {{Beats(0), 4, 4}}, Seconds(0), made.rate);
    const auto openings = openingsIn(made.sound, map);
    for (const Opening& o : openings) {
      CHECK(o.score > 0);
      CHECK_FALSE(suiting(o.kind).empty());
    }
    all += scored(made, openings, map);
  }
  const auto told = [](const FoundScore& s) {
    return std::to_string(s.found) + " of " + std::to_string(s.there) + ", " + std::to_string(s.wrong) + " of " +
           std::to_string(s.claimed) + " wrong; ";
  };
  INFO("gaps " << told(all.gaps) << all.entries << " next entries; held " << told(all.held) << "hits "
               << told(all.hits));
  CHECK(all.gaps.there > 100);
  CHECK(all.held.there > 60);
  CHECK(all.hits.there > 30);
  CHECK(all.gaps.share() >= 0.95);
  CHECK(all.gaps.falseShare() <= 0.05);
  CHECK(all.entries >= 0.95 * all.gaps.found);
  CHECK(all.held.share() >= 0.85);
  CHECK(all.held.falseShare() <= 0.1);
  CHECK(all.hits.share() >= 0.85);
  CHECK(all.hits.falseShare() <= 0.1);
}

TEST_CASE("two bars before every landing are an opening, and nothing before the song is", "[openings]") {
  Song song;
  song.tempo = {{Beats(0), 120}};
  song.meter = {{Beats(0), 3, 4}};
  song.sections = {{"s1", Beats(0), "A"}, {"s2", Beats::ofQuarters(12), "B"}};
  song.landings = {{"l1", Beats::ofQuarters(16), "in the middle of a bar"}, {"l2", Beats::ofQuarters(3), "too early"}};
  const auto found = openingsBeforeLandings(song);
  REQUIRE(found.size() == 2);
  CHECK(found[0].row == "mix");
  CHECK(found[0].place.begin == Beats::ofQuarters(6));
  CHECK(found[0].place.end == Beats::ofQuarters(12));
  CHECK(found[1].place.begin == Beats::ofQuarters(12)); // from a bar line on
  CHECK(found[1].place.end == Beats::ofQuarters(16));
  CHECK(suiting(found[0].kind).front() == "riser");
}

TEST_CASE("a section turns round in its fourth and eighth bars, but where something starts", "[openings]") {
  Song song;
  const auto q = [](double b) { return Beats::ofQuarters(b); };
  song.sections = {{"s1", q(0), "A"}, {"s2", q(48), "B"}}; // twelve bars, then ten
  song.landings = {{"l", q(64), "here"}};
  const auto turns = turnsOf(song, "drums", q(88));
  REQUIRE(turns.size() == 3);
  CHECK(turns[0].place.begin == q(12)); // the fourth bar
  CHECK(turns[0].place.end == q(16));
  CHECK(turns[1].place.begin == q(24)); // the seventh and eighth
  CHECK(turns[1].place.end == q(32));
  CHECK(turns[1].score > turns[0].score);
  CHECK(turns[2].place.end == q(80)); // not at 48, not at the landing
  CHECK(turns[2].row == "drums");
  song.sections.clear();
  CHECK(turnsOf(song, "mix", q(15)).empty());
  CHECK(turnsOf(song, "mix", q(17)).size() == 1);
}
