// This file opens a song file, with what windows that ended before they saved have left of it, and begins a song from
// audio files.
#pragma once

#include "files/journal.h"
#include "files/song_place.h"
#include "render/open_song.h"
#include "services/grid_finding.h"

namespace ivrin {

/// A state of a song that was never saved, as it is offered.
struct LeftEdits {
  std::filesystem::path journal;
  std::filesystem::path file; // of the song; empty: it never had one
  std::string title;
  std::filesystem::file_time_type when; // of the last edit
  int edits = 0;
  std::size_t ornaments = 0;
  bool onThisFile = false; // begun from what the file holds now
};

struct OpenedDocument {
  std::optional<OpenedSong> opened; // nothing: it cannot be opened, `problems` says why
  SongPlace place;
  std::optional<Holder> heldBy;          // who has it open; then it was opened only if read-only was asked for
  std::optional<Song> broughtBack;       // what is chosen of the states left; the audio is that of this one
  std::unique_ptr<JournalPlace> journal; // where that was kept
  int edits = 0;                         // in it
  std::vector<LeftEdits> left;           // the states left that nobody has chosen between yet
  std::optional<FoundGrid> grid;         // of a new song: what was listened for
  bool tempoGuessed = false;             // of a new song: the tempo is in doubt, the likeliest was taken
  std::string gridFrom{};                // of a new song: the MIDI file that has its grid
  Problems journals{};                   // what was left and cannot be used: where it is kept
  bool apart = false;                    // of a new song: its stems lie where their files say, which is not one place
  Problems problems;
};

struct Places {
  std::filesystem::path journalFolder{};        // empty: no journal
  std::vector<std::filesystem::path> allowed{}; // folders that songs may read
  std::filesystem::path heldLock{};             // a lock that is ours already
  bool readOnly = false;                        // opened though another window has it
  /// The journal whose state is wanted. Without one a single state that was begun from what the file holds is brought
  /// back by itself; where there is a choice nothing is, and all are offered.
  std::optional<std::filesystem::path> bringBack{};
  bool asSaved = false; // what the file holds, whatever was left
};

OpenedDocument openDocument(const std::filesystem::path& file, const Places& places, const StemStore& store,
                            std::stop_token stop, const Progress& progress);
/// One stem from each file; their folders are allowed to the song. Without `bpm` the grid is found by listening.
OpenedDocument beginDocument(const std::vector<std::filesystem::path>& files, std::optional<double> bpm,
                             const StemStore& store, std::stop_token stop, const Progress& progress);
/// A song that was never saved, or whose file cannot be read any more, from what was left of it.
OpenedDocument openLeft(const std::filesystem::path& journal, const Places& places, const StemStore& store,
                        std::stop_token stop, const Progress& progress);

struct LeftFound {
  std::vector<LeftEdits> edits;
  Problems journals; // what cannot be used: where it is kept
};
/// What was left of songs that opening a file would not offer: never saved, or their file has gone.
LeftFound leftWithoutFile(const std::filesystem::path& journalFolder);
/// It is wanted no more.
void letGo(const std::filesystem::path& journal);

} // namespace ivrin
