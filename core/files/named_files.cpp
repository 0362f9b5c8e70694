#include "files/named_files.h"

#include "files/safe_file.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

// What one person makes is a hundredth of this; what is more costs the window no more than a moment.
constexpr std::size_t kMostFiles = 500, kMostSeen = 5000, kMostBytesOfOne = 1 << 20, kMostBytes = 4 << 20;

std::vector<fs::path> namedFiles(const fs::path& folder, Problems& problems) {
  std::vector<fs::path> files;
  std::error_code failed;
  std::size_t seen = 0;
  const bool there = fs::exists(fs::symlink_status(folder, failed));
  for (fs::directory_iterator it(folder, failed), end; !failed && it != end && seen < kMostSeen; it.increment(failed)) {
    ++seen;
    if (it->path().extension() == ".json") files.push_back(it->path());
  }
  if (there && failed)
    problems.error(ErrorId::unreadable, "", worded("cannot read the folder %1: %2", folder.string(), failed.message()));
  std::sort(files.begin(), files.end());
  if (files.size() > kMostFiles || seen == kMostSeen)
    problems.error(ErrorId::unreadable, "",
                   worded("%1 has more than %2 files; only the first %2 are read", folder.string(), kMostFiles));
  files.resize(std::min(files.size(), kMostFiles));
  return files;
}

} // namespace

void eachNamedFile(const fs::path& folder, Problems& problems,
                   const std::function<void(const std::string& text, Problems& own)>& read) {
  std::size_t bytes = 0;
  const std::vector<fs::path> files = namedFiles(folder, problems);
  for (std::size_t i = 0; i < files.size(); ++i) {
    std::string why;
    const auto text = readWholeFile(files[i], kMostBytesOfOne, why);
    if (text && (bytes += text->size()) > kMostBytes) {
      problems.error(ErrorId::unreadable, "",
                     worded("%1 has more than %2 MiB; %3 of its files are not read", folder.string(), kMostBytes >> 20,
                            files.size() - i));
      return;
    }
    Problems own;
    if (text)
      read(*text, own);
    else
      own.error(ErrorId::unreadable, "", why);
    for (Problem& one : own.list) {
      one.place = files[i].filename().string() + (one.place.empty() ? "" : ": " + one.place);
      problems.add(std::move(one));
    }
  }
}

bool keepNamedFile(const fs::path& folder, const std::string& called, const std::string& text, std::string& why) {
  std::error_code failed;
  fs::create_directories(folder, failed);
  std::string name;
  for (const char c : called)
    name += (c >= 0 && c < 32) || std::string_view("/\\:*?\"<>|.").find(c) != std::string_view::npos ? '-' : c;
  if (name.empty()) {
    why = worded("a name is needed");
    return false;
  }
  return replaceFile(folder / (name + ".json"), text, why);
}

} // namespace ivrin
