// Where a user's files of ours lie, after the XDG Base Directory Specification.
#pragma once

#include <filesystem>

namespace ivrin {

enum class UserFolder { cache, data };

/// $XDG_CACHE_HOME or $XDG_DATA_HOME, else ~/.cache or ~/.local/share, each with `ivrin`; without a home a folder of
/// the user's own among the temporary ones.
std::filesystem::path userFolder(UserFolder which);

} // namespace ivrin
