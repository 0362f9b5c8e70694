// A song file with its audio, opened for work: what the command line and the window both begin with.
#pragma once

#include "files/song_file.h"
#include "ornaments/kind.h"
#include "render/song_audio.h"

#include <map>

namespace ivrin {

struct OpenedSong {
  Song song;
  SongAudio audio;
  AudioFolders folders;
};

/// Reads the file and opens its stems. Nothing when the song file itself cannot be used; problems of its audio leave
/// rows silent and are errors in `problems`. `itsText` gets what the file held, also where it cannot be used.
std::optional<OpenedSong> openSong(const std::filesystem::path& file, const std::vector<std::filesystem::path>& allowed,
                                   const KindSet& kinds, const StemStore& store, Problems& problems,
                                   std::stop_token stop = {}, const Progress& progress = {},
                                   std::string* itsText = nullptr);

/// Rows made of audio files.
struct NewStems {
  std::vector<Stem> stems;   // in the order of the files
  std::map<int, int> rates;  // Hz of the files, and how many have each
  bool apart = false;        // the files say where they lie (bext), and it is not one place: the stems lie so
  std::optional<double> bpm; // that all of them say
  std::optional<Key> key;    // likewise
  std::string title;         // likewise
};
/// One stem each, that the song can take: named after its file without what all files' names have in common, with the
/// role that its name tells, its file by its absolute path. Where the stems of the song say where they lie (bext), a
/// file that says it too lies there. Files that cannot be used are problems and are left out.
NewStems stemsFromFiles(const std::vector<std::filesystem::path>& files, const Song& song, const StemStore& store,
                        Problems& problems, const std::stop_token& stop = {});
/// Seconds from midnight to the stems' time 0, as the first stem that says so has it (bext).
std::optional<double> statedStart(const Song& song);
/// The song with them: each behind the last of its role, else last.
Song withStems(Song song, std::vector<Stem> stems);

/// A new song of them, rows by their roles. `sampleRate` 0 takes the commonest of the files. A Standard MIDI File among
/// them gives it its tempi, meters, key and sections.
struct NewSong {
  Song song;
  bool apart = false;        // see NewStems
  std::optional<double> bpm; // what the files say; `bpm` is what the song has
  std::string gridFrom;      // the name of the MIDI file that its grid is from
};
NewSong songFromFiles(const std::vector<std::filesystem::path>& files, double bpm, int sampleRate,
                      const StemStore& store, Problems& problems);

} // namespace ivrin
