// Coverage-guided fuzzing of reading a MIDI file (libFuzzer): whatever the bytes, it is a map that a song can have, or
// one error that has its place.
#include "fuzz.h"
#include "import/midi_map.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  using namespace ivrin::fuzz;
  Problems problems;
  const auto map = readMidi(textOf(data, size), "song.mid", problems);
  must(map.has_value() != problems.hasErrors());
  if (!map) return 0;
  must(!map->tempo.empty() && map->tempo.front().at == Beats(0) && map->meter.front().at == Beats(0));
  for (std::size_t i = 1; i < map->tempo.size(); ++i) must(map->tempo[i - 1].at < map->tempo[i].at);
  for (const TempoEntry& e : map->tempo) must(e.bpm >= 20 && e.bpm <= 400);
  const Song song = withMidiMap(Song(), *map);
  const TempoMap grid = song.tempoMap();
  for (const MeterEntry& m : map->meter) must(grid.barStart(grid.barAt(m.at).bar) == m.at);
  return 0;
}
