// Parts of a song file by themselves, for what looks at one ornament without the rest of the song.
#pragma once

#include "song/problem.h"
#include "song/settings/setting_spec.h"
#include "song/song.h"

namespace ivrin {

/// An ornament as a song file has it.
Value ornamentValue(const Ornament& o);
/// The ornament that such a value stands for; what it cannot be is an error below `place`. Whether the rows and
/// landings that it names are there is another question (checkIds).
Ornament readOrnament(const Value& v, const Registry& registry, const std::string& place, Problems& problems);
/// One error for each id that stands twice, is no id, or leads nowhere.
void checkIds(const Song& song, const Registry& registry, Problems& problems);

} // namespace ivrin
