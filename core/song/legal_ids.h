// Ids that may name files: songs of version 1 could have any.
#pragma once

#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <functional>

namespace ivrin {

/// Every id that may not be one (isId) is replaced by a free one, with all that names it; `told` hears of each with its
/// place in the file. The song as it was where there is none.
Song withLegalIds(
    Song song, const Registry& registry,
    const std::function<void(const std::string& place, const std::string& was, const std::string& is)>& told);

} // namespace ivrin
