#include "files/audio_folders.h"

#include "files/safe_file.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

bool liesBelow(const fs::path& file, const fs::path& folder) {
  if (folder.empty()) return false; // no folder at all, not every one
  std::error_code ec;
  const fs::path root = fs::weakly_canonical(folder, ec);
  if (ec || root.empty()) return false;
  const auto [r, f] = std::mismatch(root.begin(), root.end(), file.begin(), file.end());
  return r == root.end() || (r->empty() && std::next(r) == root.end()); // a trailing slash leaves an empty part
}

} // namespace

std::optional<fs::path> resolveAudio(const AudioFolders& folders, const std::string& file, const std::string& place,
                                     Problems& problems) {
  std::error_code ec;
  const fs::path folder = folders.songFolder.empty() ? fs::current_path(ec) : folders.songFolder;
  const fs::path full = fs::weakly_canonical(folder / file, ec);
  bool inside = !ec && liesBelow(full, folder);
  for (const auto& dir : folders.allowed) inside = inside || (!ec && liesBelow(full, dir));
  if (!inside) {
    problems.error(ErrorId::out_of_reach, place,
                   worded("“%1” is outside the song folder. Allow that folder (command line: --reach DIR)",
                          pathForSong(file, folder)));
    return std::nullopt;
  }
  if (const std::string what = whatItIs(full); what != "a file") {
    problems.error(ErrorId::missing_audio, place,
                   what.empty() ? worded("“%1” does not exist", pathForSong(folder / file, folder))
                                : worded("“%1” is %2, not a file", pathForSong(folder / file, folder), worded(what)));
    return std::nullopt;
  }
  return full;
}

fs::path plainPath(const fs::path& file) {
  std::error_code gone;
  const fs::path full = fs::absolute(file, gone);
  return (gone ? file : full).lexically_normal();
}

fs::path realPath(const fs::path& file) {
  std::error_code ec;
  const fs::path real = fs::weakly_canonical(plainPath(file), ec);
  return ec ? plainPath(file) : real;
}

std::string absolutePath(const std::string& file, const fs::path& songFolder) {
  return plainPath(songFolder / file).string();
}

std::string pathForSong(const fs::path& file, const fs::path& songFolder) {
  std::error_code ec;
  // By its name first: a folder of stems that is a link keeps its name.
  if (!songFolder.empty()) {
    const fs::path named = plainPath(file).lexically_relative(plainPath(songFolder));
    if (!named.empty() && *named.begin() != "..") return named.generic_string();
  }
  const fs::path full = fs::weakly_canonical(file, ec);
  const fs::path folder = fs::weakly_canonical(songFolder.empty() ? fs::path(".") : songFolder, ec);
  if (liesBelow(full, folder)) return full.lexically_relative(folder).generic_string();
  return full.generic_string();
}

} // namespace ivrin
