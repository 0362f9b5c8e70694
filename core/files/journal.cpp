#include "files/journal.h"

#include "files/audio_folders.h"
#include "files/json.h"
#include "files/safe_file.h"
#include "files/user_folder.h"
#include "time/hex.h"
#include "words/words.h"

#include <algorithm>
#include <cstdint>
#include <unistd.h>
#include <xxhash.h>

namespace ivrin {
namespace fs = std::filesystem;

fs::path journalFolder() {
  return userFolder(UserFolder::data) / "journal";
}

namespace {

constexpr std::size_t kLongestStem = 60; // of a journal's name, which has to fit into 255 bytes
constexpr int kMostJournals = 1000;      // of one song
constexpr int kJournalVersion = 1;
constexpr std::size_t kMostJournalBytes = 3 * kMaxSongBytes;

fs::path lockBeside(const fs::path& journalFile) {
  return fs::path(journalFile.string() + ".lock");
}

} // namespace

fs::path journalFor(const fs::path& folder, const fs::path& songFile, int nth) {
  const std::string number = nth > 1 ? "-" + std::to_string(nth) : std::string();
  if (songFile.empty()) return folder / ("unsaved" + number + ".json");
  // A digest of the path: short, and the path inside the journal tells collisions apart.
  const fs::path real = realPath(songFile);
  const std::string path = real.string(), digest = hexText(XXH3_64bits(path.data(), path.size()));
  return folder / (real.stem().string().substr(0, kLongestStem) + "-" + digest + number + ".json");
}

bool writeJournal(const fs::path& journalFile, const Journal& j, std::string& why) {
  std::error_code ec;
  fs::create_directories(journalFile.parent_path(), ec);
  return replaceFile(journalFile,
                     prettyJson(Object{{"format", "ivrin-journal"},
                                       {"version", kJournalVersion},
                                       {"file", j.file},
                                       {"base", j.base},
                                       {"edits", j.edits},
                                       {"song", j.song}}),
                     why);
}

std::optional<Journal> readJournal(const fs::path& journalFile, Problems& problems) {
  std::error_code ec;
  if (!fs::exists(journalFile, ec)) return std::nullopt;
  std::string why;
  const auto text = readWholeFile(journalFile, kMostJournalBytes, why);
  if (!text) {
    problems.error(ErrorId::unreadable, "", why);
    return std::nullopt;
  }
  const auto root = parseJson(*text, problems);
  if (!root) return std::nullopt;
  Journal j;
  std::string format;
  std::optional<double> version;
  if (const auto* o = root->object())
    for (const auto& [key, value] : *o) {
      const std::string s = value.text() ? *value.text() : std::string();
      if (key == "format") format = s;
      if (key == "version" && value.number()) version = *value.number();
      if (key == "file") j.file = s;
      if (key == "base") j.base = s;
      if (key == "song") j.song = s;
      if (key == "edits" && value.number()) j.edits = static_cast<int>(std::clamp(*value.number(), 0.0, 1e6));
    }
  if (format == "ivrin-journal" && version && *version > kJournalVersion) {
    problems.error(ErrorId::newer_version, "version", worded("it was written by a newer version of Ivrin"));
    return std::nullopt;
  }
  if (format != "ivrin-journal" || j.song.empty() || !version || *version != kJournalVersion) {
    problems.error(ErrorId::not_a_song, "format", worded("%1 is not a recovery file", journalFile.string()));
    return std::nullopt;
  }
  return j;
}

std::unique_ptr<JournalPlace> JournalPlace::fresh(const fs::path& folder, const fs::path& songFile) {
  std::error_code ec;
  fs::create_directories(folder, ec);
  for (int nth = 1; nth <= kMostJournals; ++nth) {
    const fs::path file = journalFor(folder, songFile, nth);
    auto taken = HeldFile::take(lockBeside(file));
    if (taken.by) continue;
    if (!taken.held) return nullptr;
    if (!fs::exists(fs::symlink_status(file, ec)))
      return std::unique_ptr<JournalPlace>(new JournalPlace(file, std::move(taken.held)));
  }
  return nullptr;
}

std::unique_ptr<JournalPlace> JournalPlace::leftAt(const fs::path& journalFile) {
  auto taken = HeldFile::take(lockBeside(journalFile));
  if (!taken.held) return nullptr;
  return std::unique_ptr<JournalPlace>(new JournalPlace(journalFile, std::move(taken.held)));
}

std::string setAside(const fs::path& journalFile, const Problem& reason) {
  if (reason.id == ErrorId::newer_version)
    return worded(
        "Unsaved edits were left by a newer version of Ivrin. Open the song with that version to recover them. "
        "They stay in %1.",
        journalFile.string());
  if (reason.id == ErrorId::unreadable) // perhaps it can be read the next time
    return worded("Unsaved edits could not be recovered: %1. They stay in %2.", reason.text(), journalFile.string());
  const auto place = JournalPlace::leftAt(journalFile); // nobody is just taking it up
  fs::path kept = journalFile;
  std::error_code failed;
  for (int nth = 1; place && nth <= kMostJournals; ++nth) {
    const fs::path name = journalFile.string() + ".damaged" + (nth > 1 ? "-" + std::to_string(nth) : "");
    if (fs::exists(fs::symlink_status(name, failed))) continue;
    fs::rename(journalFile, name, failed);
    if (!failed) kept = name;
    break;
  }
  return worded("Unsaved edits could not be recovered: %1. They are kept as %2.", reason.text(), kept.string());
}

std::vector<LeftJournal> leftJournals(const fs::path& folder, const std::optional<fs::path>& songFile, Problems& told) {
  std::vector<fs::path> files;
  std::error_code ec;
  const std::string begins = songFile ? journalFor({}, *songFile).stem().string() : std::string();
  for (auto e = fs::directory_iterator(folder, ec); !ec && e != fs::directory_iterator(); e.increment(ec))
    if (e->path().extension() == ".json" && e->path().filename().string().starts_with(begins))
      files.push_back(e->path());
  if (ec && fs::exists(fs::symlink_status(folder, ec)))
    told.error(ErrorId::unreadable, "",
               worded("Recovery failed: the folder %1 cannot be read. Check its permissions.", folder.string()));
  std::vector<LeftJournal> left;
  for (const fs::path& file : files) {
    std::error_code gone;
    const auto when = fs::last_write_time(file, gone);
    if (gone || HeldFile::isHeld(lockBeside(file))) continue;
    Problems unreadable;
    auto journal = readJournal(file, unreadable);
    if (!journal) {
      if (unreadable.hasErrors()) told.error(unreadable.list.front().id, "", setAside(file, unreadable.list.front()));
      continue;
    }
    if (songFile && (journal->file.empty() ? !songFile->empty() : realPath(journal->file) != realPath(*songFile)))
      continue;
    left.push_back({file, when, std::move(*journal)});
  }
  std::sort(left.begin(), left.end(), [](const auto& a, const auto& b) { return a.when > b.when; });
  return left;
}

} // namespace ivrin
