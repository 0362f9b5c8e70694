#include "services/dropped_files.h"

#include "audio/audio_reader.h"
#include "import/midi_map.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kMostEntries = 100000;
constexpr int kDeepest = 16;

std::vector<fs::path> filesBelow(const fs::path& folder, const std::stop_token& stop) {
  std::vector<fs::path> found;
  std::size_t entries = 0;
  std::error_code ec;
  for (auto e = fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, ec);
       !ec && e != fs::recursive_directory_iterator() && entries < kMostEntries && found.size() < kMostOfADrop &&
       !stop.stop_requested();
       e.increment(ec), ++entries) {
    if (e.depth() >= kDeepest) e.disable_recursion_pending();
    std::error_code gone;
    if (e->is_regular_file(gone) && (isSoundName(e->path()) || isMidiName(e->path()))) found.push_back(e->path());
  }
  std::sort(found.begin(), found.end());
  return found;
}

} // namespace

std::vector<fs::path> droppedFiles(const std::vector<fs::path>& dropped, const std::stop_token& stop) {
  std::vector<fs::path> all;
  for (const fs::path& one : dropped) {
    std::error_code gone;
    if (!fs::is_directory(one, gone)) {
      all.push_back(one);
      continue;
    }
    const auto below = filesBelow(one, stop);
    all.insert(all.end(), below.begin(), below.end());
  }
  return all;
}

} // namespace ivrin
