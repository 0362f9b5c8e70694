// Between saves every finished edit goes to a journal in the user's data folder, so that a crash loses nothing.
// A journal is one small file, replaced as a whole: {"format": "ivrin-journal", "version": 1, "file", "base", "song"}.
#pragma once

#include "song/song_file.h"

#include <filesystem>

namespace ivrin {

struct Journal {
  std::string file; // the song file this belongs to, absolute; empty for a song never saved
  std::string base; // the text of the song file these edits began from; empty for none
  std::string song; // the song as a song file's text
};

/// $XDG_DATA_HOME/ivrin/journal or ~/.local/share/ivrin/journal.
std::filesystem::path journalFolder();
/// Where the journal of a song file lies within `folder`; "" stands for the unsaved song.
std::filesystem::path journalFor(const std::filesystem::path& folder, const std::filesystem::path& songFile);
bool writeJournal(const std::filesystem::path& journalFile, const Journal& j, std::string& why);
/// Nothing when there is none or it cannot be read (then `problems` says so).
std::optional<Journal> readJournal(const std::filesystem::path& journalFile, Problems& problems);

} // namespace ivrin
