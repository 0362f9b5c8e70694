#include "files/user_folder.h"

#include <cerrno>
#include <cstdlib>
#include <pwd.h>
#include <string>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

/// A path of the environment, which the specification wants absolute.
fs::path absoluteFrom(const char* variable) {
  const char* text = std::getenv(variable);
  const fs::path path = text ? text : "";
  return path.is_absolute() ? path : fs::path();
}

/// Nobody else can write there, or has put it there. It is made where it is not.
bool isOwn(const fs::path& folder) {
  struct stat st {};
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) return false;
  return ::lstat(folder.c_str(), &st) == 0 && S_ISDIR(st.st_mode) && st.st_uid == ::geteuid() &&
         (st.st_mode & (S_IWGRP | S_IWOTH)) == 0;
}

/// Where there is no home: in the folder for temporary files, where anybody may have taken a name first.
fs::path homeless(const std::string& what) {
  std::error_code none;
  const fs::path temporary = fs::temp_directory_path(none);
  for (int n = 1; n <= 100; ++n) {
    fs::path folder =
        temporary / ("ivrin-" + what + "-" + std::to_string(::geteuid()) + (n > 1 ? "-" + std::to_string(n) : ""));
    if (isOwn(folder)) return folder;
  }
  return {};
}

} // namespace

fs::path userFolder(UserFolder which) {
  const bool cache = which == UserFolder::cache;
  if (const fs::path x = absoluteFrom(cache ? "XDG_CACHE_HOME" : "XDG_DATA_HOME"); !x.empty()) return x / "ivrin";
  fs::path home = absoluteFrom("HOME");
  if (home.empty())
    if (const passwd* user = ::getpwuid(::geteuid()); user && ::access(user->pw_dir, W_OK) == 0) home = user->pw_dir;
  if (!home.empty()) return home / (cache ? ".cache" : ".local/share") / "ivrin";
  return homeless(cache ? "cache" : "data");
}

fs::path windowFolder() {
  return userFolder(UserFolder::data) / "ivrin";
}

} // namespace ivrin
