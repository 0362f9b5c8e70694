#include "song/named_files.h"

#include "song/safe_file.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;

void eachNamedFile(const fs::path& folder, Problems& problems,
                   const std::function<void(const std::string& text, Problems& own)>& read) {
  std::vector<fs::path> files;
  std::error_code gone;
  for (const auto& e : fs::directory_iterator(folder, gone))
    if (e.path().extension() == ".json") files.push_back(e.path());
  std::sort(files.begin(), files.end());
  for (const fs::path& f : files) {
    std::string why;
    const auto text = readWholeFile(f, 1 << 20, why);
    Problems own;
    if (text)
      read(*text, own);
    else
      own.error(ErrorId::unreadable, "", why);
    for (Problem& one : own.list) {
      one.place = f.filename().string() + (one.place.empty() ? "" : ": " + one.place);
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
    why = worded("it wants a name");
    return false;
  }
  return replaceFile(folder / (name + ".json"), text, why);
}

} // namespace ivrin
