#include "services/opening.h"

#include "song/edits.h"
#include "song/journal.h"
#include "song/safe_file.h"

namespace ivrin {
namespace fs = std::filesystem;
namespace {
constexpr int kThreads = 2;
}

OpenedDocument openDocument(const fs::path& file, const Places& places, const StemStore& store, std::stop_token stop,
                            const Progress& progress) {
  OpenedDocument d;
  d.file = plainPath(file);
  const Registry registry = allKinds().registry();
  d.opened = openSong(d.file, places.allowed, allKinds(), store, d.problems, stop, progress);
  if (!d.opened) return d;
  std::string why;
  d.savedText = readWholeFile(d.file, kMaxSongBytes, why).value_or("");
  if (places.journalFolder.empty()) return d;
  Problems ignored;
  const auto journal = readJournal(journalFor(places.journalFolder, d.file), ignored);
  if (!journal || journal->base != d.savedText) return d;
  auto song = readSong(journal->song, registry, ignored);
  if (!song) return d;
  song = withPaths(std::move(*song), [&](const std::string& p) { return absolutePath(p, d.file.parent_path()); });
  if (*song == d.opened->song) return d;
  d.problems = {};
  d.opened->audio = SongAudio::open(*song, d.opened->reach, store, d.problems, kThreads, stop);
  d.recovered = std::move(song);
  return d;
}

OpenedDocument beginDocument(const std::vector<fs::path>& files, double bpm, const StemStore& store,
                             std::stop_token stop, const Progress& progress) {
  OpenedDocument d;
  OpenedSong made;
  made.song = songFromFiles(files, bpm, 0, store, d.problems);
  if (made.song.stems.empty()) return d;
  for (const fs::path& f : files) made.reach.allowed.push_back(plainPath(f).parent_path());
  made.audio = SongAudio::open(made.song, made.reach, store, d.problems, kThreads, stop, progress);
  d.opened = std::move(made);
  return d;
}

} // namespace ivrin
