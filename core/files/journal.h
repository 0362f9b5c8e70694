// Between saves every finished edit goes to a journal in the user's data folder, so that a crash loses nothing.
// A journal is one small file, replaced as a whole:
//   {"format": "ivrin-journal", "version": 1, "file", "base", "edits", "song"}
// One window writes one journal and holds a lock beside it; a journal whose lock nobody holds is of a window that ended
// before it saved.
#pragma once

#include "files/held_file.h"
#include "files/song_file.h"

#include <chrono>
#include <filesystem>

namespace ivrin {

struct Journal {
  std::string file; // the song file this belongs to, absolute; empty for a song never saved
  std::string base; // the text of the song file these edits began from; empty for none
  std::string song; // the song as a song file's text
  int edits = 0;    // since the last save
};

/// $XDG_DATA_HOME/ivrin/journal or ~/.local/share/ivrin/journal.
std::filesystem::path journalFolder();
/// Where the `nth` journal of a song file lies within `folder`; "" stands for songs never saved. A file is known by
/// where it really lies, whatever links lead to it.
std::filesystem::path journalFor(const std::filesystem::path& folder, const std::filesystem::path& songFile,
                                 int nth = 1);
bool writeJournal(const std::filesystem::path& journalFile, const Journal& j, std::string& why);
/// Nothing when there is none or it cannot be read (then `problems` says so; newer_version: a later Ivrin wrote it).
std::optional<Journal> readJournal(const std::filesystem::path& journalFile, Problems& problems);

/// A journal of one's own, until it goes: nobody else writes there, or takes what is there for left behind.
class JournalPlace {
 public:
  /// A place for a song file where nothing is kept yet. Nothing where the folder cannot be written.
  static std::unique_ptr<JournalPlace> fresh(const std::filesystem::path& folder,
                                             const std::filesystem::path& songFile);
  /// One that was left behind, to go on with. Nothing where somebody has it.
  static std::unique_ptr<JournalPlace> leftAt(const std::filesystem::path& journalFile);
  const std::filesystem::path& file() const { return file_; }

 private:
  JournalPlace(std::filesystem::path file, std::unique_ptr<HeldFile> held)
      : file_(std::move(file))
      , held_(std::move(held)) {}
  std::filesystem::path file_;
  std::unique_ptr<HeldFile> held_;
};

/// A journal that a window left behind.
struct LeftJournal {
  std::filesystem::path path;
  std::filesystem::file_time_type when; // its last edit
  Journal journal;
};
/// Those of a song file, or of all songs where none is given, newest first. Of each that cannot be read `told` gets one
/// sentence with where its bytes are kept (setAside).
std::vector<LeftJournal> leftJournals(const std::filesystem::path& folder,
                                      const std::optional<std::filesystem::path>& songFile, Problems& told);
/// A journal that cannot be used, for the reason given, is kept as NAME.damaged, so that it is told of once; one of a
/// newer version, or that could not be read this time, stays where it is. Returns the sentence that says so.
std::string setAside(const std::filesystem::path& journalFile, const Problem& reason);

} // namespace ivrin
