#include "audio/stem_store.h"

#include "song/safe_file.h"
#include "time/check.h"

#include <xxhash.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <fcntl.h>
#include <optional>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr std::int64_t kPage = 4096;
constexpr char kMagic[8] = {'I', 'V', 'S', 'T', 'E', 'M', '2', '\n'};
constexpr const char* kSuffix = "-2.f32"; // with the version of what lies in it
// More than any file that could be brought in; below, sums of sizes cannot overflow.
constexpr std::int64_t kMostFrames = std::int64_t{1} << 40;
constexpr float kMostSample = 1e6f; // beyond, a sample counts as broken, like NaN

struct Header {
  char magic[8];
  std::int32_t channels, songRate, fileRate, truncated;
  std::int64_t frames, badSamples;
  std::int64_t planeBytes; // each plane, a whole number of pages
  std::int64_t peakCount[PeakPyramid::kLevels];
  std::uint64_t check; // XXH3 of all before it

  std::uint64_t checkOf() const { return XXH3_64bits(this, offsetof(Header, check)); }
  /// Bytes that a whole file has at least; nothing where the header was not written by this version, or was damaged.
  std::optional<std::int64_t> bytes(int rate) const;
};

std::int64_t wholePages(std::int64_t bytes) {
  return (bytes + kPage - 1) / kPage * kPage;
}

std::optional<std::int64_t> Header::bytes(int rate) const {
  if (std::memcmp(magic, kMagic, sizeof kMagic) != 0 || check != checkOf() || songRate != rate) return std::nullopt;
  if (channels < 1 || channels > 2 || frames < 1 || frames > kMostFrames) return std::nullopt;
  if (planeBytes < frames * static_cast<std::int64_t>(sizeof(float)) || planeBytes % kPage != 0 ||
      planeBytes > kMostFrames * static_cast<std::int64_t>(sizeof(float)) + kPage)
    return std::nullopt;
  std::int64_t all = kPage + planeBytes * channels;
  for (const std::int64_t count : peakCount) {
    if (count < 0 || count > kMostFrames) return std::nullopt;
    all += count * static_cast<std::int64_t>(sizeof(Peak));
  }
  return all;
}

bool writeAt(int fd, const void* data, std::int64_t bytes, std::int64_t offset) {
  const char* p = static_cast<const char*>(data);
  while (bytes > 0) {
    const ssize_t n = ::pwrite(fd, p, static_cast<std::size_t>(bytes), offset);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    p += n;
    offset += n;
    bytes -= n;
  }
  return true;
}

std::string hex(XXH128_hash_t h) {
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(h.high64),
                static_cast<unsigned long long>(h.low64));
  return text;
}

/// Zeroes NaN, infinities and what is beyond all sound; returns how many there were.
std::int64_t mend(float* x, std::int64_t n) {
  // One pass without branches tells whether the slow look is needed at all: NaN is not ≤ anything.
  int fine[16] = {};
  std::int64_t i = 0, good = 0;
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) fine[k] += std::abs(x[i + k]) <= kMostSample;
  for (const int f : fine) good += f;
  for (; i < n; ++i) good += std::abs(x[i]) <= kMostSample;
  if (good == n) return 0;
  for (i = 0; i < n; ++i)
    if (!(std::abs(x[i]) <= kMostSample)) x[i] = 0;
  return n - good;
}

struct Fd {
  int fd;
  ~Fd() {
    if (fd >= 0) ::close(fd);
  }
};

/// Decodes `reader` into a new store file. Empty on success, else why not; "stopped" when asked to stop.
std::string importInto(AudioReader& reader, int songRate, const fs::path& target, std::stop_token stop,
                       const Progress& progress) {
  const std::int64_t frames = reader.frames();
  const int channels = reader.info().channels;
  Header h{};
  std::memcpy(h.magic, kMagic, sizeof kMagic);
  h.channels = channels;
  h.songRate = songRate;
  h.fileRate = reader.info().fileRate;
  h.frames = frames;
  h.planeBytes = wholePages(frames * static_cast<std::int64_t>(sizeof(float)));

  std::error_code ec;
  fs::create_directories(target.parent_path(), ec);
  const auto space = fs::space(target.parent_path(), ec);
  if (!ec && space.available < static_cast<std::uintmax_t>(h.planeBytes * channels + (32 << 20)))
    return "not enough space in the cache folder " + target.parent_path().string();
  removeLeftovers(target);
  const NewFile made = openBeside(target);
  const fs::path& temp = made.path;
  const Fd out{made.fd};
  const auto fail = [&](const std::string& why) {
    if (out.fd >= 0) ::unlink(temp.c_str());
    return why;
  };
  const auto writeFailed = [&] {
    return fail("cannot write the cache folder " + target.parent_path().string() + ": " + std::strerror(errno));
  };
  if (out.fd < 0) return writeFailed();

  constexpr std::int64_t kImportBlock = 32768;
  std::vector<float> left(kImportBlock), right(kImportBlock);
  PeakPyramid peaks;
  std::int64_t done = 0;
  while (done < frames) {
    if (stop.stop_requested()) return fail("stopped");
    const std::int64_t n = reader.read(left.data(), right.data(), std::min(kImportBlock, frames - done));
    if (n == 0) break;
    h.badSamples += mend(left.data(), n);
    if (channels == 2) h.badSamples += mend(right.data(), n);
    const float* other = channels == 2 ? right.data() : left.data();
    peaks.append(left.data(), other, n);
    const std::int64_t at = done * static_cast<std::int64_t>(sizeof(float)),
                       bytes = n * static_cast<std::int64_t>(sizeof(float));
    if (!writeAt(out.fd, left.data(), bytes, kPage + at)) return writeFailed();
    if (channels == 2 && !writeAt(out.fd, right.data(), bytes, kPage + h.planeBytes + at)) return writeFailed();
    done += n;
    if (progress) progress(done, frames);
  }
  if (done == 0) return fail("holds no sound that can be decoded");
  h.frames = done; // a truncated file: what there was
  h.truncated = reader.truncated() ? 1 : 0;
  peaks.finish();
  std::int64_t at = kPage + h.planeBytes * channels;
  for (int k = 0; k < PeakPyramid::kLevels; ++k) {
    const auto& level = peaks.level(k);
    h.peakCount[k] = static_cast<std::int64_t>(level.size());
    const auto bytes = static_cast<std::int64_t>(level.size() * sizeof(Peak));
    if (!writeAt(out.fd, level.data(), bytes, at)) return writeFailed();
    at += bytes;
  }
  h.check = h.checkOf();
  if (::ftruncate(out.fd, wholePages(at)) != 0 || !writeAt(out.fd, &h, sizeof h, 0) || ::fdatasync(out.fd) != 0)
    return writeFailed();
  IVRIN_CHECK(1, fs::file_size(temp, ec) == static_cast<std::uintmax_t>(wholePages(at)) && h.frames <= frames);
  if (::rename(temp.c_str(), target.c_str()) != 0) return writeFailed();
  return {};
}

} // namespace

StemAudio::~StemAudio() {
  if (map_) ::munmap(map_, bytes_);
}

void StemAudio::prefetch(std::int64_t begin, std::int64_t end) const {
  begin = std::clamp<std::int64_t>(begin, 0, frames_);
  end = std::clamp<std::int64_t>(end, 0, frames_);
  if (begin >= end) return;
  for (const float* plane : {left_, right_}) {
    const auto from = reinterpret_cast<std::uintptr_t>(plane + begin) / kPage * kPage;
    const auto to = reinterpret_cast<std::uintptr_t>(plane + end);
    ::madvise(reinterpret_cast<void*>(from), to - from, MADV_WILLNEED);
  }
}

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
    if (e->path().extension() != ".f32") continue;
    std::error_code gone;
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

fs::path StemStore::defaultFolder() {
  if (const char* x = std::getenv("XDG_CACHE_HOME"); x && *x) return fs::path(x) / "ivrin";
  if (const char* home = std::getenv("HOME"); home && *home) return fs::path(home) / ".cache" / "ivrin";
  return fs::temp_directory_path() / "ivrin-cache";
}

std::string StemStore::digestOf(const fs::path& file) const {
  Fd f{::open(file.c_str(), O_RDONLY | O_CLOEXEC)};
  struct stat st {};
  if (f.fd < 0 || ::fstat(f.fd, &st) != 0) return {};
  const std::string identity = fs::absolute(file).string() + '\n' + std::to_string(st.st_size) + '\n' +
                               std::to_string(st.st_mtim.tv_sec) + '.' + std::to_string(st.st_mtim.tv_nsec) + '\n' +
                               std::to_string(st.st_ino);
  const fs::path remembered = folder_ / "digests" / hex(XXH3_128bits(identity.data(), identity.size()));
  std::string why;
  if (const auto known = readWholeFile(remembered, 64, why); known && known->size() == 32) return *known;

  XXH3_state_t* state = XXH3_createState();
  XXH3_128bits_reset(state);
  std::vector<char> block(1 << 20);
  ssize_t n = 0;
  while ((n = ::read(f.fd, block.data(), block.size())) > 0)
    XXH3_128bits_update(state, block.data(), static_cast<std::size_t>(n));
  std::string digest = hex(XXH3_128bits_digest(state));
  XXH3_freeState(state);
  if (n < 0) return {};
  std::error_code ec;
  fs::create_directories(remembered.parent_path(), ec);
  replaceFile(remembered, digest, why);
  return digest;
}

std::shared_ptr<const StemAudio> StemStore::open(const fs::path& file, int songRate, const std::string& place,
                                                 Problems& problems, std::stop_token stop,
                                                 const Progress& progress) const {
  const std::string digest = digestOf(file);
  if (digest.empty()) {
    problems.error(ErrorId::unreadable, place, "cannot read " + file.string() + ": " + std::strerror(errno));
    return nullptr;
  }
  const fs::path stored = folder_ / "stems" / (digest + "-" + std::to_string(songRate) + kSuffix);
  for (int attempt = 0; attempt < 3; ++attempt) { // damaged, brought in anew, opened
    Fd f{::open(stored.c_str(), O_RDONLY | O_CLOEXEC)};
    if (f.fd < 0) {
      auto reader = AudioReader::open(file, songRate, place, problems);
      if (!reader) return nullptr;
      const std::string why = importInto(*reader, songRate, stored, stop, progress);
      if (why == "stopped") return nullptr;
      if (!why.empty()) {
        problems.error(ErrorId::broken_audio, place, file.string() + ": " + why);
        return nullptr;
      }
      if (digestOf(file) != digest) { // what was decoded may be neither of the two
        ::unlink(stored.c_str());
        problems.error(ErrorId::broken_audio, place,
                       file.string() + " was changed while it was being read; open it again");
        return nullptr;
      }
      trim();
      continue;
    }
    struct stat st {};
    Header h{};
    const bool readable = ::fstat(f.fd, &st) == 0 && ::pread(f.fd, &h, sizeof h, 0) == static_cast<ssize_t>(sizeof h);
    const auto need = readable ? h.bytes(songRate) : std::nullopt;
    if (!need || *need > st.st_size) {
      ::unlink(stored.c_str()); // a damaged cache is only a cache: import again
      continue;
    }
    void* map = ::mmap(nullptr, static_cast<std::size_t>(st.st_size), PROT_READ, MAP_SHARED, f.fd, 0);
    if (map == MAP_FAILED) {
      problems.error(ErrorId::unreadable, place, "cannot map " + stored.string() + ": " + std::strerror(errno));
      return nullptr;
    }
    ::futimens(f.fd, nullptr); // for trim(): it was used just now
    std::shared_ptr<StemAudio> a(new StemAudio);
    a->map_ = map;
    a->bytes_ = static_cast<std::size_t>(st.st_size);
    a->channels_ = h.channels;
    a->fileRate_ = h.fileRate;
    a->frames_ = h.frames;
    a->badSamples_ = h.badSamples;
    a->truncated_ = h.truncated != 0;
    a->digest_ = digest;
    const char* base = static_cast<const char*>(map);
    a->left_ = reinterpret_cast<const float*>(base + kPage);
    a->right_ = h.channels == 2 ? reinterpret_cast<const float*>(base + kPage + h.planeBytes) : a->left_;
    const char* at = base + kPage + h.planeBytes * h.channels;
    for (int k = 0; k < PeakPyramid::kLevels; ++k) {
      a->peaks_.levels[k] = {reinterpret_cast<const Peak*>(at), static_cast<std::size_t>(h.peakCount[k])};
      at += static_cast<std::size_t>(h.peakCount[k]) * sizeof(Peak);
    }
    a->peaks_.frames = h.frames;
    IVRIN_CHECK(1, at <= base + a->bytes_);
    IVRIN_CHECK(3, stored.filename().string().starts_with(a->digest_));
    return a;
  }
  problems.error(ErrorId::unreadable, place, "the cache file for " + file.string() + " cannot be read back");
  return nullptr;
}

} // namespace ivrin
