// Where a user's files of ours lie, after the XDG Base Directory Specification.
#pragma once

#include <filesystem>

namespace ivrin {

enum class UserFolder { cache, data };

/// $XDG_CACHE_HOME or $XDG_DATA_HOME where they are absolute, else .cache or .local/share in $HOME or the home of the
/// user's entry, each with `ivrin`. Without any of them a folder among the temporary ones that is made for the user
/// alone; empty where that cannot be had.
std::filesystem::path userFolder(UserFolder which);
/// Presets and patterns of the user's own.
std::filesystem::path windowFolder();

} // namespace ivrin
