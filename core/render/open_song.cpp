#include "render/open_song.h"

#include "song/edits.h"
#include "song/value.h"
#include "words/words.h"

#include <algorithm>
#include <cctype>
#include <map>

namespace ivrin {
namespace fs = std::filesystem;

std::optional<OpenedSong> openSong(const fs::path& file, const std::vector<fs::path>& allowed, const KindSet& kinds,
                                   const StemStore& store, Problems& problems, std::stop_token stop,
                                   const Progress& progress, std::string* itsText) {
  auto song = readSongFile(file, kinds.registry(), problems, itsText);
  if (!song) return std::nullopt;
  OpenedSong opened{std::move(*song), {}, {plainPath(file).parent_path(), allowed}};
  opened.audio = SongAudio::open(opened.song, opened.reach, store, problems, 2, stop, progress);
  return opened;
}

/// Its bytes that are no characters, readable all the same.
static std::string shown(const std::string& name) {
  const std::string quoted = compactJson(Value(name));
  return quoted.substr(1, quoted.size() - 2);
}

Song songFromFiles(const std::vector<fs::path>& files, double bpm, int sampleRate, const StemStore& store,
                   Problems& problems) {
  Song song;
  song.tempo.front().bpm = bpm;
  song.sampleRate = sampleRate;
  std::map<int, int> rates; // of the files, how many have each
  for (const fs::path& file : files) {
    if (!isUtf8(file.string())) { // a song file is UTF-8: it could not name it
      problems.error(ErrorId::refused, shown(file.filename().string()), worded("its name is not UTF-8; rename it"));
      continue;
    }
    const auto reader =
        AudioReader::open(file, sampleRate > 0 ? sampleRate : 48000, file.filename().string(), problems);
    if (!reader) continue;
    ++rates[std::clamp(reader->info().fileRate, 8000, 192000)];
    Stem s;
    s.name = file.stem().string();
    std::replace(s.name.begin(), s.name.end(), '_', ' ');
    if (!s.name.empty()) s.name[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(s.name[0])));
    s.id = freshRowId(song, s.name);
    s.file = absolutePath(file.string(), {});
    s.digest = store.digestOf(file);
    s.frames = reader->info().fileFrames;
    song = withStem(std::move(song), std::move(s));
  }
  // The commonest, so that as little as can be is converted; of two as common the higher.
  int most = 0;
  if (song.sampleRate == 0)
    for (const auto& [rate, count] : rates)
      if (count >= most) {
        most = count;
        song.sampleRate = rate;
      }
  if (song.sampleRate == 0) song.sampleRate = 48000;
  if (rates.size() > 1)
    problems.note(ErrorId::out_of_range, "sample_rate",
                  worded("is %1 Hz; files of another rate are converted", song.sampleRate));
  return song;
}

} // namespace ivrin
