#include "services/opening.h"

#include "files/safe_file.h"
#include "song/edits.h"

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr double kNoTempo = 120; // of a song of which none can be told
constexpr int kThreads = 2;

/// The song that a journal keeps, as a window has it; what cannot be read is set aside, and told.
std::optional<Song> songOf(const Journal& journal, const fs::path& file, Problems& told) {
  Problems unreadable;
  auto song = readSong(journal.song, allKinds().registry(), unreadable);
  if (!song) {
    told.error(unreadable.list.front().id, "", setAside(file, unreadable.list.front()));
    return std::nullopt;
  }
  const fs::path folder = fs::path(journal.file).parent_path();
  return withPaths(std::move(*song), [&](const std::string& p) { return absolutePath(p, folder); });
}

LeftEdits offered(const LeftJournal& l, const Song& song, const std::string& savedText) {
  return {l.path,
          l.journal.file,
          song.title.empty() ? fs::path(l.journal.file).stem().string() : song.title,
          l.when,
          l.journal.edits,
          song.ornaments.size(),
          !l.journal.file.empty() && l.journal.base == savedText};
}

/// What stems are made of, where the song does not say it yet: they can be found again by that.
Song withDigests(Song song, const SongAudio& audio) {
  for (Stem& s : song.stems)
    if (const auto& a = audio.of(s.id); a && s.digest.empty()) s.digest = a->digest();
  return song;
}

/// Brings back a state, if nobody else has taken it meanwhile.
void bringBack(OpenedDocument& d, const fs::path& journal, int edits, Song song) {
  d.journal = JournalPlace::leftAt(journal);
  if (!d.journal) return;
  d.broughtBack = std::move(song);
  d.edits = edits;
}

} // namespace

OpenedDocument openDocument(const fs::path& file, const Places& places, const StemStore& store, std::stop_token stop,
                            const Progress& progress) {
  OpenedDocument d;
  d.place.file = plainPath(file);
  d.place.readOnly = places.readOnly;
  const fs::path lock = lockOf(d.place.file);
  if (!places.readOnly && lock != places.heldLock && whatItIs(d.place.file) == "a file") {
    auto taken = HeldFile::take(lock);
    if (taken.by) {
      d.heldBy = std::move(taken.by);
      return d;
    }
    d.place.held = std::move(taken.held);
  }
  d.opened = openSong(d.place.file, places.allowed, allKinds(), store, d.problems, stop, progress, &d.place.savedText);
  if (d.opened) d.opened->song = withDigests(std::move(d.opened->song), d.opened->audio);
  if (places.journalFolder.empty() || places.readOnly || places.asSaved) return d;
  std::vector<std::pair<LeftEdits, Song>> left;
  for (const LeftJournal& l : leftJournals(places.journalFolder, d.place.file, d.journals)) {
    auto song = songOf(l.journal, l.path, d.journals);
    if (!song) continue;
    if (d.opened && *song == d.opened->song)
      letGo(l.path); // it was saved after all, or all of it was undone
    else
      left.emplace_back(offered(l, *song, d.place.savedText), std::move(*song));
  }
  const bool onlyOne = left.size() == 1 && left.front().first.onThisFile;
  for (auto& [one, song] : left) {
    const bool wanted = places.bringBack ? one.journal == *places.bringBack : onlyOne && d.opened;
    if (wanted)
      bringBack(d, one.journal, one.edits, std::move(song));
    else
      d.left.push_back(std::move(one));
  }
  if (!d.broughtBack) return d;
  const AudioFolders folders{d.place.file.parent_path(), places.allowed};
  d.problems = {};
  if (!d.opened) {
    d.opened = OpenedSong{*d.broughtBack, {}, folders};
    d.place.holds = false;
  }
  d.opened->audio = SongAudio::open(*d.broughtBack, d.opened->folders, store, d.problems, kThreads, stop);
  return d;
}

OpenedDocument beginDocument(const std::vector<fs::path>& files, std::optional<double> bpm, const StemStore& store,
                             std::stop_token stop, const Progress& progress) {
  OpenedDocument d;
  OpenedSong made;
  NewSong fresh = songFromFiles(files, bpm.value_or(kNoTempo), 0, store, d.problems);
  made.song = std::move(fresh.song);
  d.apart = fresh.apart;
  d.gridFrom = fresh.gridFrom;
  if (made.song.stems.empty()) return d;
  for (const fs::path& f : files) made.folders.allowed.push_back(plainPath(f).parent_path());
  made.audio = SongAudio::open(made.song, made.folders, store, d.problems, kThreads, stop, progress);
  if (!bpm) {
    d.grid = findGrid(made.song, made.audio, kThreads, stop);
    const bool guessed = fresh.gridFrom.empty() && !fresh.bpm && d.grid->tempo && !hasTempo(*d.grid);
    if (fresh.bpm) made.song.tempo.front().bpm = *fresh.bpm; // where none is heard
    made.song = !fresh.gridFrom.empty() ? withHeardKey(std::move(made.song), *d.grid)
                : guessed               ? atTempo(std::move(made.song), *d.grid, d.grid->tempo->bpm)
                                        : onGrid(std::move(made.song), *d.grid);
    d.tempoGuessed = guessed;
  }
  made.song = withHeardRoles(std::move(made.song), d.grid.value_or(FoundGrid()));
  d.opened = std::move(made);
  return d;
}

OpenedDocument openLeft(const fs::path& journal, const Places& places, const StemStore& store, std::stop_token stop,
                        const Progress& progress) {
  OpenedDocument d;
  const auto kept = readJournal(journal, d.problems);
  auto song = kept ? songOf(*kept, journal, d.problems) : std::nullopt;
  if (!song) {
    if (d.problems.list.empty()) d.problems.error(ErrorId::unreadable, "", "its recovery file cannot be read");
    return d;
  }
  bringBack(d, journal, kept->edits, *song);
  if (!d.journal) {
    d.problems.error(ErrorId::refused, "", "it is already open in another window");
    return d;
  }
  // Its stems lie where the user took them from: they may be read, as they were.
  OpenedSong made{std::move(*song), {}, {{}, places.allowed}};
  for (const Stem& s : made.song.stems)
    if (s.file) made.folders.allowed.push_back(fs::path(*s.file).parent_path());
  made.audio = SongAudio::open(made.song, made.folders, store, d.problems, kThreads, stop, progress);
  d.opened = std::move(made);
  return d;
}

LeftFound leftWithoutFile(const fs::path& journalFolder) {
  LeftFound all;
  for (const LeftJournal& l : leftJournals(journalFolder, std::nullopt, all.journals)) {
    if (!l.journal.file.empty() && whatItIs(l.journal.file) == "a file") continue;
    if (const auto song = songOf(l.journal, l.path, all.journals)) all.edits.push_back(offered(l, *song, {}));
  }
  return all;
}

void letGo(const fs::path& journal) {
  const auto place = JournalPlace::leftAt(journal); // so that nobody is just taking it up
  std::error_code ignored;
  if (place) fs::remove(journal, ignored);
}

} // namespace ivrin
