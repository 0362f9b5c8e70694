#include "render/relink.h"

#include "audio/audio_reader.h"
#include "files/audio_folders.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kMostEntries = 100000;
constexpr int kDeepest = 16;

/// Frames of an audio file, or nothing where it is none.
std::optional<std::int64_t> framesOf(const fs::path& file) {
  Problems notAudio;
  const auto reader = AudioReader::open(file, 48000, "", notAudio);
  return reader ? std::optional(reader->info().fileFrames) : std::nullopt;
}

} // namespace

std::optional<StemFound> stemAt(const Song& song, const std::string& stem, const fs::path& file, const StemStore& store,
                                Problems& problems, std::stop_token stop) {
  const Stem* s = song.stem(stem);
  const auto reader = s ? AudioReader::open(file, song.sampleRate, s->name, problems) : nullptr;
  if (!reader) return std::nullopt;
  std::string digest = store.digestOf(file, stop);
  if (stop.stop_requested()) return std::nullopt;
  const bool same = !digest.empty() && digest == s->digest;
  return StemFound{stem, plainPath(file), std::move(digest), reader->info().fileFrames, same};
}

std::vector<StemFound> findStems(const Song& song, const std::vector<std::string>& stems, const fs::path& folder,
                                 const StemStore& store, std::stop_token stop, const Progress& progress) {
  std::vector<const Stem*> wanted;
  for (const std::string& id : stems)
    if (const Stem* s = song.stem(id); s && s->file) wanted.push_back(s);
  std::vector<fs::path> files;
  std::error_code ec;
  std::size_t entries = 0;
  for (auto e = fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, ec);
       !ec && e != fs::recursive_directory_iterator() && entries < kMostEntries && !stop.stop_requested();
       e.increment(ec), ++entries) {
    std::error_code gone;
    if (e.depth() >= kDeepest) e.disable_recursion_pending();
    if (fs::is_regular_file(e->symlink_status(gone)) && isSoundName(e->path())) files.push_back(e->path());
  }
  // Those of a wanted name first: mostly that is all there is to look at.
  const auto named = [&](const fs::path& f) {
    return std::any_of(wanted.begin(), wanted.end(),
                       [&](const Stem* s) { return fs::path(*s->file).filename() == f.filename(); });
  };
  std::sort(files.begin(), files.end());
  std::stable_partition(files.begin(), files.end(), named);

  std::vector<StemFound> found;
  for (std::size_t i = 0; i < files.size() && !wanted.empty() && !stop.stop_requested(); ++i) {
    if (progress) progress(static_cast<std::int64_t>(i), static_cast<std::int64_t>(files.size()));
    const auto frames = framesOf(files[i]);
    if (!frames) continue;
    std::string digest; // of the whole file: only where it may be one of them
    std::erase_if(wanted, [&](const Stem* s) {
      if (s->frames && *s->frames != *frames) return false;
      if (digest.empty()) digest = store.digestOf(files[i], stop);
      const bool same = !s->digest.empty() && digest == s->digest;
      const bool byName = s->digest.empty() && fs::path(*s->file).filename() == files[i].filename();
      if (!same && !byName) return false;
      found.push_back({s->id, plainPath(files[i]), digest, *frames, same});
      return true;
    });
  }
  return found;
}

std::map<std::string, std::string> writtenAnew(const Song& song, const std::map<std::string, std::string>& heard,
                                               const StemStore& store, std::stop_token stop) {
  std::map<std::string, std::string> anew;
  for (const auto& [id, digest] : heard) {
    const Stem* s = song.stem(id);
    if (!s || !s->file || stop.stop_requested()) continue;
    const std::string now = store.digestOf(*s->file, stop);
    if (!now.empty() && now != digest && framesOf(*s->file)) anew[id] = now;
  }
  return anew;
}

Song withStemsFound(Song song, const std::vector<StemFound>& found) {
  for (Stem& s : song.stems)
    for (const StemFound& f : found)
      if (f.stem == s.id) {
        s.file = f.file.string();
        s.digest = f.digest;
        s.frames = f.frames;
      }
  return song;
}

} // namespace ivrin
