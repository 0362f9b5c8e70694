#include "ornaments/kind.h"
#include "song/grid_edits.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::test;

namespace {

Song placedSong() {
  TestSong t(48000, 120);
  t.stem("voice", 48000, noise(1, 0.1));
  t.ornament("gap", "voice", 7, 2).source = {{std::nullopt, Beats::ofQuarters(3.25), Beats::ofQuarters(0.5), 0}};
  t.ornament("delay-throw", "voice", -1.5, 1);
  Song s = t.song;
  s.ornaments = {};
  for (const Ornament& o : t.ornaments) s.ornaments.push_back(o);
  s.sections = {{"s1", Beats(0), "A"}, {"s2", Beats::ofQuarters(16), "B"}};
  s.landings = {{"l1", Beats::ofQuarters(12.5), "x"}};
  s.startSeconds = 0.75;
  return s;
}

} // namespace

TEST_CASE("a grid that lay wrong is put right, and nothing moves in the sound", "[grid]") {
  const Song was = placedSong();
  const TempoMap old = was.tempoMap();
  for (const auto& [tempo, start] :
       std::vector<std::pair<std::vector<TempoEntry>, double>>{{{{Beats(0), 104}}, 0.75},
                                                               {{{Beats(0), 97.33}}, 1.203},
                                                               {{{Beats(0), 60}, {Beats::ofQuarters(4), 133}}, -0.4}}) {
    const Song is = withGridCorrected(was, tempo, start);
    const TempoMap map = is.tempoMap();
    const auto same = [&](Beats before, Beats after) {
      // Half a tick each way: under a microsecond.
      CHECK(map.secondsAt(after).value == Approx(old.secondsAt(before).value).margin(2e-6));
    };
    REQUIRE(is.ornaments.size() == 2);
    for (std::size_t i = 0; i < 2; ++i) {
      same(was.ornaments[i]->start, is.ornaments[i]->start);
      same(was.ornaments[i]->span().end, is.ornaments[i]->span().end);
    }
    same(was.ornaments[0]->source[0].start, is.ornaments[0]->source[0].start);
    same(was.ornaments[0]->source[0].start + was.ornaments[0]->source[0].length,
         is.ornaments[0]->source[0].start + is.ornaments[0]->source[0].length);
    for (std::size_t i = 0; i < 2; ++i) same(was.sections[i].at, is.sections[i].at);
    same(was.landings[0].at, is.landings[0].at);
    // And back: the very song.
    CHECK(withGridCorrected(is, was.tempo, was.startSeconds) == was);
  }
}

TEST_CASE("half and double tempi give whole beats, bar 1 is put where it is pointed at", "[grid]") {
  const Song was = placedSong();
  const Song twice = withGridCorrected(was, withTempoAt(was, Beats(0), 240).tempo, was.startSeconds);
  CHECK(twice.ornaments[0]->start == Beats::ofQuarters(14));
  CHECK(twice.ornaments[0]->length == Beats::ofQuarters(4));
  CHECK(twice.sections[1].at == Beats::ofQuarters(32));
  CHECK(twice.tempo[0].bpm == 240);
  CHECK(withGridCorrected(twice, withTempoAt(twice, Beats(0), 120).tempo, twice.startSeconds) == was);
  const Song moved = withBarOneAt(was, Beats::ofQuarters(1));
  CHECK(moved.startSeconds == Approx(1.25).margin(1e-9));
  CHECK(moved.ornaments[0]->start == Beats::ofQuarters(6));
  CHECK(moved.landings[0].at == Beats::ofQuarters(11.5));
  // Another tempo for the music itself: only the entry that holds there changes.
  Song two = was;
  two.tempo.push_back({Beats::ofQuarters(8), 90});
  const Song faster = withTempoAt(two, Beats::ofQuarters(11), 99);
  CHECK(faster.tempo[0].bpm == 120);
  CHECK(faster.tempo[1].bpm == 99);
  CHECK(faster.ornaments == two.ornaments);
}

TEST_CASE("tempo and meter change from a place on, move and go", "[grid-edits]") {
  Song s;
  const auto q = [](double b) { return Beats::ofQuarters(b); };
  s = withTempoFrom(s, q(16), 90);
  s = withTempoFrom(s, q(32), 100);
  REQUIRE(s.tempo.size() == 3);
  CHECK(withTempoFrom(s, q(16), 95).tempo[1].bpm == 95);
  CHECK(withTempoMoved(s, q(16), q(24)).tempo[1] == TempoEntry{q(24), 90});
  CHECK(withTempoMoved(s, q(16), q(40)).tempo.back() == TempoEntry{q(40), 90}); // past the next one
  CHECK(withTempoMoved(s, q(16), q(32)).tempo.size() == 2);                     // over it
  CHECK(withTempoMoved(s, q(0), q(8)) == s);
  CHECK(withTempoMoved(s, q(16), q(-4)) == s);
  CHECK(withoutTempoAt(s, q(16)).tempo.size() == 2);
  CHECK(withoutTempoAt(s, q(0)) == s);

  Song m = withMeterFrom(Song(), q(33), 3, 4); // on the line of its bar
  REQUIRE(m.meter.size() == 2);
  CHECK(m.meter[1] == MeterEntry{q(32), 3, 4});
  m = withMeterFrom(m, q(44), 4, 4);
  CHECK(m.meter[2] == MeterEntry{q(44), 4, 4});
  // An earlier change: later ones go to the next bar line.
  const Song five = withMeterFrom(m, q(16), 5, 4);
  REQUIRE(five.meter.size() == 4);
  CHECK(five.meter[1] == MeterEntry{q(16), 5, 4});
  CHECK(five.meter[2] == MeterEntry{q(36), 3, 4});
  CHECK(five.meter[3] == MeterEntry{q(45), 4, 4});
  CHECK(withoutMeterAt(m, q(32)).meter.size() == 2);
  CHECK(withMeterMoved(m, q(32), q(24)).meter[1] == MeterEntry{q(24), 3, 4});
  CHECK(withMeterMoved(m, q(32), q(1)) == m); // the first one stays
  // Whatever is done, it can be written and read.
  for (const Song& each : {s, m, five, withMeterMoved(five, q(16), q(28)), withoutMeterAt(five, q(36))}) {
    Problems problems;
    readSong(writeSong(each, allKinds().registry()), allKinds().registry(), problems);
    CHECK_FALSE(problems.hasErrors());
  }
}
