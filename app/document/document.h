// The document: a song with its history, its file and its journal. It knows no window and computes nothing.
//
// Invariants:
//  1. Paths of the song are absolute; only what is written to a file names them from its folder.
//  2. Every state of the song between saves reaches the journal; a save forgets it.
#pragma once

#include "document/journal_writer.h"
#include "song/history.h"
#include "song/reach.h"

#include <filesystem>
#include <memory>

namespace ivrin {

class Document {
 public:
  /// `registry` tells the writer which version of the song file holds what. Without a journal folder none is kept.
  explicit Document(Registry registry, std::filesystem::path journalFolder = {});

  const Song& song() const { return history_.song(); }
  const History& history() const { return history_; }
  /// Absolute; empty for a song never saved.
  const std::filesystem::path& file() const { return file_; }
  const Reach& reach() const { return reach_; }

  /// Another song. `savedText` is what its file holds; a song that has no file counts as changed.
  void adopt(Song song, Reach reach, std::filesystem::path file, std::string savedText);
  /// The only way to change the song. False when nothing changed.
  bool edit(std::string label, Song next, std::string mergeKey = {});
  void settle() { history_.settle(); }
  void undo();
  void redo();

  /// Writes the file and forgets the journal; why not, or nothing. A song without a title takes the file's name.
  std::string save(const std::filesystem::path& file);
  /// The user chose not to keep the edits since the last save.
  void forgetEdits();
  /// How a file that the user chose is named in the song; its folder is allowed from then on.
  std::string pathFor(const std::filesystem::path& chosen);

 private:
  void keepJournal();
  std::shared_ptr<const Registry> registry_;
  std::filesystem::path journalFolder_;
  std::unique_ptr<JournalWriter> journal_;
  History history_;
  std::filesystem::path file_;
  std::string savedText_; // of the file as last read or written
  Reach reach_;
};

} // namespace ivrin
