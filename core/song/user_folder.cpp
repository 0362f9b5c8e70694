#include "song/user_folder.h"

#include <cstdlib>
#include <string>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;

fs::path userFolder(UserFolder which) {
  const bool cache = which == UserFolder::cache;
  if (const char* x = std::getenv(cache ? "XDG_CACHE_HOME" : "XDG_DATA_HOME"); x && *x) return fs::path(x) / "ivrin";
  if (const char* home = std::getenv("HOME"); home && *home)
    return fs::path(home) / (cache ? ".cache" : ".local/share") / "ivrin";
  std::error_code none;
  return fs::temp_directory_path(none) / ((cache ? "ivrin-cache-" : "ivrin-data-") + std::to_string(::getuid()));
}

} // namespace ivrin
