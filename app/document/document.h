// The document: a song with its history, its file and its journal. It knows no window and computes nothing.
//
// Invariants:
//  1. Paths of the song are absolute; only what is written to a file names them from its folder.
//  2. Every state of the song between saves reaches the journal; a save forgets it.
//  3. Every state of the song is one that its file can hold.
//  4. Only its own journal is written or removed: what other windows left behind is not touched.
#pragma once

#include "document/journal_writer.h"
#include "files/audio_folders.h"
#include "files/song_place.h"
#include "song/history.h"

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

namespace ivrin {

class Document {
 public:
  /// `registry` tells the writer which version of the song file holds what. Without a journal folder none is kept.
  /// `journalFailed` is called from another thread with why edits cannot be kept, once, and with nothing when they can
  /// be again.
  explicit Document(Registry registry, std::filesystem::path journalFolder = {},
                    std::function<void(const std::string&)> journalFailed = {});

  const Song& song() const { return history_.song(); }
  const History& history() const { return history_; }
  /// Absolute; empty for a song never saved.
  const std::filesystem::path& file() const { return place_.file; }
  bool readOnly() const { return place_.readOnly; }
  /// The lock it holds, or nothing.
  std::filesystem::path heldLock() const { return place_.held ? place_.held->file() : std::filesystem::path(); }
  const AudioFolders& audioFolders() const { return audioFolders_; }

  /// Another song. One that has no file counts as changed.
  void adopt(Song song, AudioFolders folders, SongPlace place);
  /// What a window left behind goes on here: one edit, kept in its journal from now on.
  void bringBack(Song song, std::unique_ptr<JournalPlace> journal, int edits);
  /// Why this song cannot be what the document holds: its file could not hold it (song_check.h). Empty: it can.
  std::string whyNot(const Song& next) const;
  /// The only way to change the song. Returns whyNot(): the song is as it was then.
  std::string edit(std::string label, Song next, std::string mergeKey = {});
  void settle() { history_.settle(); }
  void undo();
  void redo();
  /// While something is only heard, the journal keeps the song without it; nothing: the song itself again. What is
  /// brought back after a crash was wanted.
  void keepInstead(std::optional<Song> song);
  /// Edits that are in the journal alone.
  int editsSinceSave() const { return history_.editsSinceSave() + editsBefore_; }

  struct Saved {
    std::string why;  // it was not saved; mostly empty
    std::string note; // worth saying though it was
  };
  /// Writes the file and forgets the journal. A song without a title takes the file's name. What would not read back as
  /// this song does not replace what is there.
  Saved save(const std::filesystem::path& file);
  // The same in three steps, of which the second waits for the disk and may be done by another thread while edits go
  // on. One song is saved at a time, and stays the document's until it is.
  struct Saving {
    Song song;
    std::filesystem::path file;
    bool own = false, readOnly = false; // the document's own file
    std::filesystem::path lock;         // that the document holds
    std::shared_ptr<const Registry> registry;
  };
  struct Written {
    std::string why; // it was not; mostly empty
    std::string text;
    std::optional<std::string> there; // what was in its own file before
    HeldFile::Taken taken;
    bool held = false; // by the document already, under another name
  };
  Saving beginSaving(const std::filesystem::path& file);
  static Written write(const Saving& s);
  Saved endSaving(const Saving& s, Written w);
  /// The user chose not to keep the edits since the last save.
  void forgetEdits();
  /// Until all edits are on the disk.
  void waitForJournal() const {
    if (journal_) journal_->flush();
  }
  /// The song may read audio from this folder too.
  void allow(const std::filesystem::path& folder) { audioFolders_.allowed.push_back(folder); }
  /// How a file that the user chose is named in the song; its folder is allowed from then on.
  std::string pathFor(const std::filesystem::path& chosen);

 private:
  void keepJournal();
  std::shared_ptr<const Registry> registry_;
  std::filesystem::path journalFolder_;
  std::unique_ptr<JournalPlace> journalPlace_; // from the first edit on
  std::unique_ptr<JournalWriter> journal_;     // goes first
  History history_;
  SongPlace place_;
  int editsBefore_ = 0; // of what was brought back
  std::optional<Song> instead_;
  AudioFolders audioFolders_;
};

} // namespace ivrin
