// Opening a song file, with what the journal knows beyond it, and beginning a song from audio files.
#pragma once

#include "render/open_song.h"

namespace ivrin {

struct OpenedDocument {
  std::optional<OpenedSong> opened; // nothing: it cannot be opened, `problems` says why
  std::optional<Song> recovered;    // what the journal brings back; the audio is that of this one
  std::filesystem::path file;       // empty for a song never saved
  std::string savedText;            // of the file
  Problems problems;
};

struct Places {
  std::filesystem::path journalFolder;        // empty: no journal
  std::vector<std::filesystem::path> allowed; // folders that songs may read
};

OpenedDocument openDocument(const std::filesystem::path& file, const Places& places, const StemStore& store,
                            std::stop_token stop, const Progress& progress);
/// One stem from each file; their folders are allowed to the song.
OpenedDocument beginDocument(const std::vector<std::filesystem::path>& files, double bpm, const StemStore& store,
                             std::stop_token stop, const Progress& progress);

} // namespace ivrin
