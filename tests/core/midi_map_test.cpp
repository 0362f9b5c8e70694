// Tempo, meter, key and markers of Standard MIDI Files, and files that are none.
#include "audio/chance.h"
#include "files/song_check.h"
#include "import/midi_map.h"
#include "song/grid_edits.h"
#include "test_support/midi_bytes.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <chrono>
#include <cmath>
#include <set>

using namespace ivrin;
using namespace ivrin::test;

namespace {

std::optional<MidiMap> mapOf(const std::string& bytes, Problems& problems) {
  return readMidi(bytes, "song.mid", problems);
}
MidiMap mapOf(const std::string& bytes) {
  Problems problems;
  const auto map = mapOf(bytes, problems);
  INFO((problems.list.empty() ? std::string() : problems.list.front().text()));
  REQUIRE(map);
  CHECK_FALSE(problems.hasErrors());
  return *map;
}
/// The one error of bytes that are refused.
std::string refusalOf(const std::string& bytes) {
  Problems problems;
  CHECK_FALSE(mapOf(bytes, problems));
  REQUIRE(problems.list.size() == 1);
  CHECK(problems.list.front().place == "song.mid");
  return problems.list.front().message;
}

/// 120 then 97.3 at bar 3, 7/8 from bar 5, D minor, two markers, notes in a second track.
std::string someSong() {
  MidiTrack time, notes;
  time.name("Lantern").tempo(0, 120).meter(0, 4, 2).meta(0, 0x59, std::string("\xff\x01", 2)).meta(0, 0x06, "Intro");
  time.tempo(2 * 1920, 97.3).meter(2 * 1920, 7, 3).meta(0, 0x06, "Verse");
  notes.bytes(0, "\xc0\x05").bytes(0, "\x90\x3c\x64").bytes(480, std::string("\x3c\0", 2)); // running status
  notes.bytes(0, std::string("\xf0\x03\x01\x02\xf7", 5)).bytes(96, std::string("\xe0\0\x40", 3));
  return midiFile({time, notes});
}

} // namespace

TEST_CASE("tempi, meters, key and markers of a MIDI file", "[midi]") {
  const MidiMap map = mapOf(someSong());
  CHECK(map.tempo == std::vector<TempoEntry>{{Beats(0), 120}, {Beats::ofQuarters(8), 97.3}});
  CHECK(map.meter == std::vector<MeterEntry>{{Beats(0), 4, 4}, {Beats::ofQuarters(16), 7, 8}});
  REQUIRE(map.key);
  CHECK(*map.key == Key{2, true}); // one flat, minor
  CHECK(map.title == "Lantern");
  REQUIRE(map.markers.size() == 2);
  CHECK(map.markers[1].name == "Verse");
  CHECK(map.markers[1].at == Beats::ofQuarters(16));
}

TEST_CASE("every tempo to a hundredth comes back from its microseconds as it was typed", "[midi]") {
  for (int hundredths = 2000; hundredths <= 40000; hundredths += 37) {
    const double bpm = hundredths / 100.0;
    const MidiMap map = mapOf(midiFile({MidiTrack().tempo(0, bpm)}));
    REQUIRE(map.tempo.size() == 1);
    // Half a microsecond of a beat is what such a file can say.
    CHECK(std::abs(60 / map.tempo[0].bpm - 60 / bpm) <= 0.5e-6 + 1e-12);
    if (bpm <= 240) CHECK(map.tempo[0].bpm == bpm);
  }
}

TEST_CASE("any division gives the nearest tick, exact where it can be", "[midi]") {
  for (const unsigned division : {1u, 24u, 96u, 480u, 960u, 15360u, 32767u}) {
    INFO(division);
    const MidiMap map =
        mapOf(midiFile({MidiTrack().tempo(0, 100).tempo(division * 12, 90).tempo(division, 80)}, division));
    REQUIRE(map.tempo.size() == 3);
    CHECK(map.tempo[1].at == Beats::ofQuarters(12));
    CHECK(map.tempo[2].at == Beats::ofQuarters(13));
  }
}

TEST_CASE("what a MIDI file does not say is 120 BPM and 4/4", "[midi]") {
  const MidiMap map = mapOf(midiFile({MidiTrack().bytes(0, "\x90\x3c\x64")}));
  CHECK(map.tempo == std::vector<TempoEntry>{{Beats(0), 120}});
  CHECK(map.meter == std::vector<MeterEntry>{{Beats(0), 4, 4}});
  CHECK_FALSE(map.key);
  // A first tempo that comes later: 120 before it.
  CHECK(mapOf(midiFile({MidiTrack().tempo(960, 90)})).tempo ==
        std::vector<TempoEntry>{{Beats(0), 120}, {Beats::ofQuarters(2), 90}});
}

TEST_CASE("a meter within a bar holds from the next one on, and a note says so", "[midi]") {
  Problems problems;
  const auto map = mapOf(midiFile({MidiTrack().meter(0, 4, 2).meter(480 * 6, 3, 2)}), problems);
  REQUIRE(map);
  CHECK(map->meter == std::vector<MeterEntry>{{Beats(0), 4, 4}, {Beats::ofQuarters(8), 3, 4}});
  REQUIRE(problems.list.size() == 1);
  CHECK_FALSE(problems.list[0].isError);
  CHECK(problems.list[0].message.find("bar 2") != std::string::npos);
}

TEST_CASE("text that is no UTF-8 is taken as Latin-1", "[midi]") {
  CHECK(mapOf(midiFile({MidiTrack().name("Fr\xfchling")})).title == "Frühling");
  CHECK(mapOf(midiFile({MidiTrack().name("Frühling\n")})).title == "Frühling");
}

TEST_CASE("what a song cannot say is refused with its bar", "[midi]") {
  CHECK(refusalOf(midiFile({MidiTrack().tempo(0, 120).tempo(480 * 9, 500)})) ==
        "bar 3: the tempo 500.0 BPM is not supported (20 to 400)");
  CHECK(refusalOf(midiFile({MidiTrack().tempo(480 * 4, 12)})) ==
        "bar 2: the tempo 12.0 BPM is not supported (20 to 400)");
  CHECK(refusalOf(midiFile({MidiTrack().meta(0, 0x51, std::string(3, '\0'))})).find("∞") != std::string::npos);
  CHECK(refusalOf(midiFile({MidiTrack().meter(480 * 4, 33, 2)})).find("bar 2: the time signature 33/4") == 0);
  CHECK(refusalOf(midiFile({MidiTrack().meter(0, 4, 9)})).find("the time signature 4/512") != std::string::npos);
  CHECK(refusalOf(midiFile({MidiTrack().tempo(0, 100)}, 0xe728)) ==
        "uses SMPTE time code, not beats. Export it with ticks per quarter note");
}

TEST_CASE("files that are none, or cut off anywhere, are refused in words", "[midi]") {
  CHECK(refusalOf("") == "is not a Standard MIDI File");
  CHECK(refusalOf("RIFF....WAVE") == "is not a Standard MIDI File");
  const std::string whole = someSong();
  for (std::size_t n = 4; n < whole.size(); ++n) {
    INFO(n);
    const std::string why = refusalOf(whole.substr(0, n));
    CHECK((why.find("incomplete") != std::string::npos || why.find("announces") != std::string::npos));
  }
  std::string two = midiFile({MidiTrack().tempo(0, 100)});
  two[9] = 2;
  CHECK(refusalOf(two) == "has separate sequences (MIDI format 2). Export it as format 0 or 1");
  // Data without a status.
  CHECK(refusalOf(midiFile({MidiTrack().bytes(0, "\x3c\x64")})).find("an event is missing") != std::string::npos);
  CHECK(refusalOf(midiFile({MidiTrack().bytes(0xfffffff, "\x90\x3c\x64").bytes(0xfffffff, "\x3c\x64")}, 1))
            .find("a million beats") != std::string::npos);
}

TEST_CASE("any bytes are a map that a song can have, or one error with its place", "[midi]") {
  const std::string whole = someSong();
  Chance draw(5);
  int taken = 0;
  for (int n = 0; n < 20000; ++n) { // a third of a second
    std::string bytes = whole;
    for (int k = 1 + draw.below(5); k > 0; --k) {
      const auto at = static_cast<std::size_t>(draw.below(bytes.size()));
      if (draw.unit() < 0.3)
        bytes.erase(at, static_cast<std::size_t>(draw.below(9)));
      else
        bytes[at] = static_cast<char>(draw.below(256));
      if (bytes.empty()) break;
    }
    Problems problems;
    const auto map = mapOf(bytes, problems);
    REQUIRE(map.has_value() != problems.hasErrors());
    if (!map) {
      REQUIRE(problems.list.back().place == "song.mid");
      continue;
    }
    ++taken;
    REQUIRE(map->tempo.front().at == Beats(0));
    REQUIRE(map->meter.front().at == Beats(0));
    for (std::size_t i = 1; i < map->tempo.size(); ++i) REQUIRE(map->tempo[i - 1].at < map->tempo[i].at);
    for (const TempoEntry& e : map->tempo) REQUIRE((e.bpm >= 20 && e.bpm <= 400));
    const TempoMap grid(map->tempo, map->meter, Seconds(0), 48000);
    for (std::size_t i = 1; i < map->meter.size(); ++i) {
      REQUIRE(map->meter[i - 1].at < map->meter[i].at);
      REQUIRE(grid.barStart(grid.barAt(map->meter[i].at).bar) == map->meter[i].at);
    }
  }
  CHECK(taken > 2000); // or nothing was looked at
}

TEST_CASE("a song takes a MIDI file's grid; what is placed keeps its beats, or its place in the sound", "[midi]") {
  Song was;
  was.startSeconds = 0.25;
  was.sections = {};
  Ornament o;
  o.id = "o1";
  o.start = Beats::ofQuarters(16);
  o.length = Beats::ofQuarters(2);
  was.ornaments.push_back(o);
  const MidiMap map = mapOf(someSong());
  const Song now = withMidiMap(was, map);
  CHECK(now.startSeconds == 0);
  CHECK(now.key == map.key);
  REQUIRE(now.sections.size() == 2);
  CHECK(now.sections[1].name == "Verse");
  CHECK(now.sections[1].at == Beats::ofQuarters(16));
  CHECK(now.ornaments[0]->start == Beats::ofQuarters(16));
  const Song kept = keptOnSound(was, now);
  CHECK(kept.sections == now.sections); // they came with the grid
  CHECK(kept.tempoMap().secondsAt(kept.ornaments[0]->start).value ==
        Approx(was.tempoMap().secondsAt(Beats::ofQuarters(16)).value).margin(1e-6));
  // What it has of its own stays.
  Song own = was;
  own.key = Key{7, false};
  own.sections = {{"s1", Beats(0), "A"}};
  CHECK(withMidiMap(own, map).key == Key{7, false});
  CHECK(withMidiMap(own, map).sections == own.sections);
}

TEST_CASE("twenty thousand meters: the bars of each are counted once, and what is said of them is bounded", "[midi]") {
  // Each within a bar, on its line, or twice in one; against the meters made one by one with a map of their own.
  Chance chance(5);
  MidiTrack track;
  std::vector<MeterEntry> want{{Beats(0), 4, 4}};
  std::int64_t ticks = 0;
  for (int i = 0; i < 300; ++i) {
    const unsigned after = static_cast<unsigned>(chance.below(8)) * 240u;
    const int count = 1 + chance.below(9), unit = chance.below(4);
    track.meter(after, count, unit);
    ticks += after;
    const Beats at(ticks * kTicksPerQuarter / 480);
    const TempoMap so({{}}, want, Seconds(0), 48000);
    const std::int64_t bar = so.barAt(at).bar;
    const Beats from = so.barStart(bar) == at ? at : so.barStart(bar + 1);
    while (!want.empty() && want.back().at >= from) want.pop_back();
    want.push_back({from, count, 1 << unit});
  }
  Problems some;
  const auto map = mapOf(midiFile({track}), some);
  REQUIRE(map);
  CHECK(map->meter == want);
  CHECK(some.list.size() > 50); // those that begin within a bar
  MidiTrack many;
  for (int i = 0; i < 20000; ++i) many.meter(i == 0 ? 0 : 480 * 3, 3 + i % 2, 2);
  Problems problems;
  const auto large = mapOf(midiFile({many}), problems);
  REQUIRE(large);
  CHECK(large->meter.size() > 14000);
  CHECK(problems.list.size() <= Problems::kMost + 1);
  Problems none;
  checkSong(withMidiMap(Song(), *large), Registry(), none);
  CHECK(none.list.empty());
}

TEST_CASE("markers become sections on their bar lines, each place once, each with an id of its own", "[midi]") {
  MidiTrack track;
  for (int i = 0; i < 1000; ++i) track.meta(i == 0 ? 0 : 480, 0x06, "M" + std::to_string(i));
  Song song;
  song.landings = {{"s2", Beats::ofQuarters(8), "mine"}};
  song = withMidiMap(song, mapOf(midiFile({track})));
  CHECK(song.sections.size() == 251); // a bar has four of them; the nearest line
  std::set<std::string> ids;
  for (std::size_t i = 0; i < song.sections.size(); ++i) {
    CHECK(ids.insert(song.sections[i].id).second);
    CHECK(song.sections[i].at == Beats::ofQuarters(4.0 * static_cast<double>(i)));
  }
  CHECK_FALSE(ids.contains("s2"));
}
