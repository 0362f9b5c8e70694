// Whether a song is one that its file can hold: asked of every edit, so that what is saved can be opened again.
#pragma once

#include "song/problem.h"
#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <filesystem>
#include <string>

namespace ivrin {

/// One error at each place where `song`, written as a file and read again, would be refused or be another song. It is
/// the reader itself that says so, with its words and its limits. What `known` (a song that was checked) shares with it
/// is not looked at again, so that an edit costs what it changes.
void checkSong(const Song& song, const Registry& registry, Problems& problems, const Song* known = nullptr);
/// The same of the very text that is about to be a file in `folder`: read back, and compared with the song.
void checkText(const std::string& text, const Song& song, const Registry& registry, const std::filesystem::path& folder,
               Problems& problems);

} // namespace ivrin
