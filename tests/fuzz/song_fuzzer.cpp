// Coverage-guided fuzzing of the song file reader (libFuzzer): whatever the bytes, it returns a song or errors, and a
// song it returns survives a round trip. Run for hours: build/fuzz/bin/ivrin-fuzz-song CORPUS
#include "files/song_file.h"
#include "ornaments/kind.h"

#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace ivrin;
  static const Registry registry = allKinds().registry();
  Problems problems;
  const auto song = readSong(std::string_view(reinterpret_cast<const char*>(data), size), registry, problems);
  if (song.has_value() == problems.hasErrors()) std::abort();
  if (!song) return 0;
  Problems again;
  const auto back = readSong(writeSong(*song, registry), registry, again);
  if (!back || !(*back == *song)) std::abort();
  // Every ornament that is read can be planned.
  const SongContext context = contextOf(*song);
  for (const auto& o : song->ornaments) static_cast<void>(allKinds().find(o->kind)->plan({*o, context}));
  return 0;
}
