#include "audio/stem_store.h"

#include "files/safe_file.h"
#include "files/user_folder.h"
#include "time/check.h"
#include "time/hex.h"
#include "words/words.h"

#include <xxhash.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

std::string hex(XXH128_hash_t h) {
  return hexText(h.high64) + hexText(h.low64);
}

struct Fd {
  int fd;
  ~Fd() {
    if (fd >= 0) ::close(fd);
  }
};

} // namespace

StemStore::StemStore(fs::path cacheFolder, std::uintmax_t budgetBytes)
    : folder_(std::move(cacheFolder))
    , budget_(budgetBytes) {}

void StemStore::trim() const {
  struct Entry {
    fs::file_time_type opened; // open() renews it
    std::uintmax_t bytes;
    fs::path path;
  };
  std::vector<Entry> all;
  std::uintmax_t total = 0;
  std::error_code ec;
  for (auto e = fs::directory_iterator(folder_ / "stems", ec); !ec && e != fs::directory_iterator(); e.increment(ec)) {
    std::error_code gone;
    if (e->path().extension() != ".f32") { // what an import that was killed left; the folder is ours alone
      if (fs::file_time_type::clock::now() - e->last_write_time(gone) > std::chrono::hours(1) && !gone)
        fs::remove(e->path(), gone);
      continue;
    }
    const auto bytes = e->file_size(gone);
    if (gone) continue;
    all.push_back({e->last_write_time(gone), bytes, e->path()});
    total += bytes;
  }
  std::sort(all.begin(), all.end(), [](const Entry& a, const Entry& b) { return a.opened < b.opened; });
  // The newest one stays, whatever its size.
  for (std::size_t i = 0; i + 1 < all.size() && total > budget_; ++i) {
    fs::remove(all[i].path, ec);
    total -= all[i].bytes;
  }
}

/// Digests that were remembered longest ago: a file that is read again is remembered again.
void StemStore::trimDigests() const {
  std::vector<fs::path> files;
  std::error_code ec, gone;
  for (auto e = fs::directory_iterator(folder_ / "digests", ec); !ec && e != fs::directory_iterator(); e.increment(ec))
    files.push_back(e->path());
  if (files.size() <= kMostDigests) return; // mostly: no file is looked at
  std::vector<std::pair<fs::file_time_type, fs::path>> all;
  for (fs::path& f : files) all.emplace_back(fs::last_write_time(f, gone), std::move(f));
  std::sort(all.begin(), all.end());
  for (std::size_t i = 0; i < all.size() - kMostDigests / 2; ++i) fs::remove(all[i].second, gone);
}

fs::path StemStore::defaultFolder() {
  return userFolder(UserFolder::cache);
}

std::string StemStore::digestOf(const fs::path& file, const std::stop_token& stop) const {
  const Fd f{::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)}; // a pipe must not hang the reader
  struct stat st {};
  if (f.fd < 0 || ::fstat(f.fd, &st) != 0 || !S_ISREG(st.st_mode)) return {};
  std::error_code ec;
  const std::string identity = fs::absolute(file, ec).string() + '\n' + std::to_string(st.st_size) + '\n' +
                               std::to_string(st.st_mtim.tv_sec) + '.' + std::to_string(st.st_mtim.tv_nsec) + '\n' +
                               std::to_string(st.st_ino);
  const fs::path remembered = folder_ / "digests" / hex(XXH3_128bits(identity.data(), identity.size()));
  std::string why;
  if (const auto known = readWholeFile(remembered, 64, why); known && known->size() == 32) return *known;

  XXH3_state_t* state = XXH3_createState();
  XXH3_128bits_reset(state);
  std::vector<char> block(1 << 20);
  ssize_t n = 0;
  while (!stop.stop_requested() && (n = ::read(f.fd, block.data(), block.size())) > 0)
    XXH3_128bits_update(state, block.data(), static_cast<std::size_t>(n));
  std::string digest = hex(XXH3_128bits_digest(state));
  XXH3_freeState(state);
  if (n < 0 || stop.stop_requested()) return {};
  fs::create_directories(remembered.parent_path(), ec);
  if (makeWay(remembered)) replaceFile(remembered, digest, why);
  return digest;
}

std::shared_ptr<const StemAudio> StemStore::open(const fs::path& file, int songRate, const std::string& place,
                                                 Problems& problems, std::stop_token stop,
                                                 const Progress& progress) const {
  const std::string digest = digestOf(file, stop);
  if (stop.stop_requested()) return nullptr;
  if (digest.empty()) {
    problems.error(ErrorId::unreadable, place, worded("cannot read %1: %2", file.string(), systemWords(errno)));
    return nullptr;
  }
  const fs::path stored = fileOf(digest, songRate);
  makeWay(stored);
  for (int attempt = 0; attempt < 3; ++attempt) { // damaged, brought in anew, opened
    const Fd f{::open(stored.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
    if (f.fd >= 0) {
      std::string why;
      if (auto audio = StemFile::open(f.fd, songRate, digest, why)) {
        ::futimens(f.fd, nullptr); // for trim(): it was used just now
        IVRIN_CHECK(3, stored.filename().string().starts_with(audio->digest()));
        return audio;
      }
      if (!why.empty()) {
        problems.error(ErrorId::unreadable, place, worded("cannot map %1: %2", stored.string(), why));
        return nullptr;
      }
      ::unlink(stored.c_str()); // a damaged cache is only a cache
      continue;
    }
    StemFile::Written written;
    for (int again = 0; again < 2; ++again) { // the header, then what there is, is believed
      auto reader = AudioReader::open(file, songRate, place, problems);
      if (!reader) return nullptr;
      written = StemFile::write(*reader, again ? written.frames : reader->frames(), songRate, stored, stop, progress);
      if (written.why != "short") break;
    }
    const std::string& why = written.why;
    if (why == "stopped") return nullptr;
    if (!why.empty()) {
      problems.error(ErrorId::broken_audio, place, file.string() + ": " + why);
      return nullptr;
    }
    // Not to be stopped: a copy that was not looked at would be believed the next time. A file that is as it was is
    // remembered and costs nothing.
    if (digestOf(file) != digest) { // what was decoded may be neither of the two
      ::unlink(stored.c_str());
      problems.error(ErrorId::broken_audio, place,
                     worded("%1 changed while it was being read. Open it again", file.string()));
      return nullptr;
    }
    trim();
    trimDigests();
  }
  problems.error(ErrorId::unreadable, place, worded("the cache file for %1 cannot be read back", file.string()));
  return nullptr;
}

fs::path StemStore::fileOf(const std::string& digest, int songRate) const {
  return folder_ / "stems" /
         (digest + "-" + std::to_string(songRate) + "-" + std::to_string(StemFile::kVersion) + ".f32");
}

void StemStore::forget(const StemAudio& audio) const {
  ::unlink(fileOf(audio.digest(), audio.songRate()).c_str());
}

} // namespace ivrin
