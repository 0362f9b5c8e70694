// Which impulse responses a song asks for, and loading them.
#pragma once

#include "audio/stem_store.h"
#include "files/audio_folders.h"
#include "finish/impulses.h"
#include "song/song.h"

namespace ivrin {

/// Where it is asked for ("ornaments[3].settings.impulse_file") and the file as written; those that ship are left out.
/// Every file once. Only ornaments and processors whose space is an impulse count, in all variants.
std::vector<std::pair<std::string, std::string>> impulseFiles(const Song& song);

/// `known` and what the song asks for besides. What cannot be read is an error at its place and stays silent; what was
/// cut is a note. Gives `known` itself back when nothing was new.
std::shared_ptr<const Impulses> loadImpulses(const Song& song, const AudioFolders& folders, const StemStore& store,
                                             std::shared_ptr<const Impulses> known, Problems& problems,
                                             std::stop_token stop = {});

} // namespace ivrin
