// Opens a song, throws the first beat of bar 2 of its first row into a delay, and writes the mix: the core alone.
//   ivrin-example-throw SONG FOLDER
#include "render/export.h"
#include "render/open_song.h"
#include "song/edits.h"

#include <cstdio>

using namespace ivrin;

int main(int argc, char** argv) {
  if (argc != 3) return std::fprintf(stderr, "usage: ivrin-example-throw SONG FOLDER\n"), 2;
  const std::filesystem::path file = std::filesystem::absolute(argv[1]), folder = argv[2];
  Problems problems;
  // Stems are decoded once, into this folder.
  const StemStore store(folder / "cache");
  const auto opened = openSong(file, {}, allKinds(), store, problems);
  for (const Problem& p : problems.list) std::fprintf(stderr, "%s\n", p.text().c_str());
  if (!opened || opened->song.stems.empty()) return 1;

  Ornament o;
  o.id = "example";
  o.kind = "delay-throw";
  o.on = opened->song.stems.front().id;
  o.start = Beats::ofQuarters(4);
  o.length = Beats::ofQuarters(1);
  o.settings = {{"time_left", "1/8."}, {"time_right", "1/4"}, {"feedback_percent", 55.0}};
  const Song song = withOrnament(opened->song, o); // the song is a value: the one that was opened stays as it is

  PrintCache cache;
  const auto plan = RenderPlan::make(song, opened->audio, allKinds(), cache);
  const ExportReport report = exportSong(plan, folder, {});
  for (const auto& written : report.files) std::printf("%s\n", written.c_str());
  return 0;
}
