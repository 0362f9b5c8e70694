// A song file with its audio, opened for work: what the command line and the window both begin with.
#pragma once

#include "ornaments/kind.h"
#include "render/song_audio.h"
#include "song/song_file.h"

namespace ivrin {

struct OpenedSong {
  Song song;
  SongAudio audio;
  Reach reach;
};

/// Reads the file and opens its stems. Nothing when the song file itself cannot be used; problems of its audio leave
/// rows silent and are errors in `problems`. `itsText` gets what the file held, also where it cannot be used.
std::optional<OpenedSong> openSong(const std::filesystem::path& file, const std::vector<std::filesystem::path>& allowed,
                                   const KindSet& kinds, const StemStore& store, Problems& problems,
                                   std::stop_token stop = {}, const Progress& progress = {},
                                   std::string* itsText = nullptr);

/// A new song from audio files: one stem each, named after its file, which it names by its absolute path. `sampleRate`
/// 0 takes the first file's. Files that cannot be used are problems and are left out.
Song songFromFiles(const std::vector<std::filesystem::path>& files, double bpm, int sampleRate, const StemStore& store,
                   Problems& problems);

} // namespace ivrin
