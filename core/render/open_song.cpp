#include "render/open_song.h"

#include "audio/data_length.h"
#include "files/safe_file.h"
#include "import/midi_map.h"
#include "import/tags.h"
#include "song/edits.h"
#include "song/limits.h"
#include "song/row_edits.h"
#include "song/value.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace fs = std::filesystem;

std::optional<OpenedSong> openSong(const fs::path& file, const std::vector<fs::path>& allowed, const KindSet& kinds,
                                   const StemStore& store, Problems& problems, std::stop_token stop,
                                   const Progress& progress, std::string* itsText) {
  auto song = readSongFile(file, kinds.registry(), problems, itsText);
  if (!song) return std::nullopt;
  OpenedSong opened{std::move(*song), {}, {plainPath(file).parent_path(), allowed}};
  opened.audio = SongAudio::open(opened.song, opened.folders, store, problems, 2, stop, progress);
  return opened;
}

/// Its bytes that are no characters, readable all the same.
static std::string shown(const std::string& name) {
  const std::string quoted = compactJson(Value(name));
  return quoted.substr(1, quoted.size() - 2);
}

namespace {

/// Seconds from midnight to a file's first frame.
std::optional<double> statedTime(const AudioInfo& i) {
  if (!i.timeReference || i.fileRate <= 0) return std::nullopt;
  return static_cast<double>(*i.timeReference) / i.fileRate;
}

/// Where each file says its first frame lies, in seconds of the earliest; nothing unless all say it, it is not one
/// place, and they lie within reach of each other.
std::optional<std::vector<double>> statedPlaces(const std::vector<AudioInfo>& infos) {
  std::vector<double> at;
  for (const AudioInfo& i : infos) {
    const auto time = statedTime(i);
    if (!time) return std::nullopt;
    at.push_back(*time);
  }
  if (at.empty()) return std::nullopt;
  const auto [least, most] = std::minmax_element(at.begin(), at.end());
  if (*most - *least < 1e-4 || *most - *least > kFarthestOffsetSeconds) return std::nullopt;
  const double first = *least;
  for (double& a : at) a -= first;
  return at;
}

/// A file's place in a song whose time 0 is at `midnight` seconds; nothing where it does not say, or lies out of reach.
std::optional<double> placeAfter(const AudioInfo& i, double midnight) {
  const auto time = statedTime(i);
  if (!time || std::abs(*time - midnight) > kFarthestOffsetSeconds) return std::nullopt;
  return *time - midnight;
}

} // namespace

std::optional<double> statedStart(const Song& song) {
  for (const Stem& s : song.stems) {
    // Only chunked files say it; others may take long to open.
    if (!s.file || whatItIs(*s.file) != "a file" || !dataLength(*s.file)) continue;
    Problems ignored; // what cannot be read does not say it
    const auto reader = AudioReader::open(*s.file, song.sampleRate, {}, ignored);
    if (!reader) continue;
    if (const auto time = statedTime(reader->info())) return *time - s.offsetSeconds;
  }
  return std::nullopt;
}

NewStems stemsFromFiles(const std::vector<fs::path>& files, const Song& song, const StemStore& store,
                        Problems& problems, const std::stop_token& stop) {
  NewStems made;
  std::vector<AudioInfo> infos;
  std::vector<std::string> names;
  for (const fs::path& file : files) {
    if (!isUtf8(file.string())) { // a song file is UTF-8: it could not name it
      problems.error(ErrorId::refused, shown(file.filename().string()),
                     worded("its name is not UTF-8. Rename the file"));
      continue;
    }
    const auto reader =
        AudioReader::open(file, song.sampleRate > 0 ? song.sampleRate : 48000, file.filename().string(), problems);
    if (!reader) continue;
    infos.push_back(reader->info());
    names.push_back(file.stem().string());
    ++made.rates[std::clamp(reader->info().fileRate, 8000, 192000)];
    Stem s;
    s.file = absolutePath(file.string(), {});
    s.digest = store.digestOf(file, stop);
    if (stop.stop_requested()) return {};
    s.frames = reader->info().fileFrames;
    made.stems.push_back(std::move(s));
  }
  names = rowNames(names);
  const bool fresh = song.stems.empty();
  const auto places = fresh ? statedPlaces(infos) : std::nullopt;
  const auto start = fresh ? std::nullopt : statedStart(song);
  made.apart = places.has_value();
  Song taken = song; // for fresh ids
  for (std::size_t i = 0; i < made.stems.size(); ++i) {
    Stem& s = made.stems[i];
    s.name = names[i];
    s.role = roleOfName(fs::path(*s.file).stem().string()); // what all names share may say it
    s.id = freshRowId(taken, s.name);
    const auto place = places ? std::optional((*places)[i]) : start ? placeAfter(infos[i], *start) : std::nullopt;
    if (place) s.offsetSeconds = std::round(*place * 1e6) / 1e6;
    made.apart = made.apart || (start && place && std::abs(*place) > 1e-4);
    taken = withStem(std::move(taken), s);
  }
  std::vector<Tags> tags;
  for (std::size_t i = 0; i < infos.size(); ++i) {
    Tags t = tagsOf(*made.stems[i].file);
    if (t.title.empty()) t.title = infos[i].title;
    if (!t.bpm) t.bpm = infos[i].bpm;
    tags.push_back(std::move(t));
  }
  if (!tags.empty()) {
    made.bpm = tags.front().bpm;
    made.key = tags.front().key;
    made.title = tags.front().title;
  }
  for (const Tags& t : tags) {
    if (t.bpm != made.bpm) made.bpm.reset();
    if (t.key != made.key) made.key.reset();
    if (t.title != made.title) made.title.clear();
  }
  return made;
}

Song withStems(Song song, std::vector<Stem> stems) {
  for (Stem& s : stems) {
    const auto last = std::find_if(song.stems.rbegin(), song.stems.rend(),
                                   [&](const Stem& own) { return s.role && own.role == s.role && !own.bus; });
    song.stems.insert(last == song.stems.rend() ? song.stems.end() : last.base(), std::move(s));
  }
  return song;
}

NewSong songFromFiles(const std::vector<fs::path>& files, double bpm, int sampleRate, const StemStore& store,
                      Problems& problems) {
  NewSong made;
  Song& song = made.song;
  song.hzLaw = CurveLaw::log;
  song.tempo.front().bpm = bpm;
  song.sampleRate = sampleRate;
  std::vector<fs::path> sounds;
  std::optional<MidiMap> midi;
  for (const fs::path& file : files) {
    if (!isMidiName(file)) {
      sounds.push_back(file);
    } else if (!midi) {
      midi = readMidiFile(file, problems);
      if (midi) made.gridFrom = file.filename().string();
    }
  }
  NewStems stems = stemsFromFiles(sounds, song, store, problems);
  made.apart = stems.apart;
  made.bpm = stems.bpm;
  song.title = stems.title;
  song.key = stems.key;
  song.stems = std::move(stems.stems);
  // The commonest, so that as little as can be is converted; of two as common the higher.
  int most = 0;
  if (song.sampleRate == 0)
    for (const auto& [rate, count] : stems.rates)
      if (count >= most) {
        most = count;
        song.sampleRate = rate;
      }
  if (song.sampleRate == 0) song.sampleRate = 48000;
  if (midi) song = withMidiMap(std::move(song), *midi);
  if (stems.rates.size() > 1)
    problems.note(ErrorId::out_of_range, "sample_rate",
                  worded("is %1 Hz and is converted to the song's rate", song.sampleRate));
  return made;
}

} // namespace ivrin
