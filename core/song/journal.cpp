#include "song/journal.h"

#include "song/json.h"
#include "song/reach.h"
#include "song/safe_file.h"

#include <cstdint>
#include <cstdlib>

namespace ivrin {
namespace fs = std::filesystem;

fs::path journalFolder() {
  if (const char* x = std::getenv("XDG_DATA_HOME"); x && *x) return fs::path(x) / "ivrin" / "journal";
  if (const char* home = std::getenv("HOME"); home && *home)
    return fs::path(home) / ".local" / "share" / "ivrin" / "journal";
  return fs::temp_directory_path() / "ivrin-journal";
}

fs::path journalFor(const fs::path& folder, const fs::path& songFile) {
  if (songFile.empty()) return folder / "unsaved.json";
  // FNV-1a of the absolute path: short, and the path inside the journal tells collisions apart.
  std::uint64_t h = 0xcbf29ce484222325ull;
  const std::string text = plainPath(songFile).string();
  for (const char c : text) h = (h ^ static_cast<unsigned char>(c)) * 0x100000001b3ull;
  static const char* const digits = "0123456789abcdef";
  std::string name;
  for (int i = 60; i >= 0; i -= 4) name += digits[(h >> i) & 15];
  return folder / (songFile.stem().string() + "-" + name + ".json");
}

bool writeJournal(const fs::path& journalFile, const Journal& j, std::string& why) {
  std::error_code ec;
  fs::create_directories(journalFile.parent_path(), ec);
  return replaceFile(
      journalFile,
      prettyJson(
          Object{{"format", "ivrin-journal"}, {"version", 1}, {"file", j.file}, {"base", j.base}, {"song", j.song}}),
      why);
}

std::optional<Journal> readJournal(const fs::path& journalFile, Problems& problems) {
  std::error_code ec;
  if (!fs::exists(journalFile, ec)) return std::nullopt;
  std::string why;
  const auto text = readWholeFile(journalFile, 3 * kMaxSongBytes, why);
  if (!text) {
    problems.error(ErrorId::unreadable, "", why);
    return std::nullopt;
  }
  const auto root = parseJson(*text, problems);
  if (!root) return std::nullopt;
  Journal j;
  std::string format;
  if (const auto* o = root->object())
    for (const auto& [key, value] : *o) {
      const std::string s = value.text() ? *value.text() : std::string();
      if (key == "format") format = s;
      if (key == "file") j.file = s;
      if (key == "base") j.base = s;
      if (key == "song") j.song = s;
    }
  if (format != "ivrin-journal" || j.song.empty()) {
    problems.error(ErrorId::not_a_song, "format", journalFile.string() + " is not a journal");
    return std::nullopt;
  }
  return j;
}

} // namespace ivrin
