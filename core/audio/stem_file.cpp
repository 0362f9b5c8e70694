#include "audio/stem_file.h"

#include "files/safe_file.h"
#include "time/check.h"
#include "words/words.h"

#include <xxhash.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <numeric>
#include <optional>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr std::int64_t kPage = 4096, kCheckBlock = 1 << 20;
static_assert(StemFile::kVersion < 10);
constexpr char kMagic[8] = {'I', 'V', 'S', 'T', 'E', 'M', '0' + StemFile::kVersion, '\n'};

struct Header {
  char magic[8];
  std::int32_t channels, songRate, fileRate, truncated;
  std::int64_t frames, badSamples;
  std::int64_t planeBytes; // each plane, a whole number of pages
  std::int64_t peakCount[PeakPyramid::kLevels];
  std::uint64_t tableCheck; // XXH3 of the table of checksums
  std::uint64_t check;      // XXH3 of all before it

  std::uint64_t checkOf() const { return XXH3_64bits(this, offsetof(Header, check)); }
  /// How many bytes its parts have, each plane and the peaks; nothing where the header was not written by this version,
  /// or was damaged.
  std::optional<std::vector<std::int64_t>> parts(int rate) const;
};

static_assert(offsetof(Header, planeBytes) == 40 && offsetof(Header, tableCheck) == 96 &&
              offsetof(Header, check) == 104);

std::int64_t wholePages(std::int64_t bytes) {
  return (bytes + kPage - 1) / kPage * kPage;
}

std::optional<std::vector<std::int64_t>> Header::parts(int rate) const {
  if (std::memcmp(magic, kMagic, sizeof kMagic) != 0 || check != checkOf() || songRate != rate) return std::nullopt;
  if (channels < 1 || channels > 2 || frames < 1 || frames > StemFile::kMostFrames) return std::nullopt;
  if (planeBytes < frames * static_cast<std::int64_t>(sizeof(float)) || planeBytes % kPage != 0 ||
      planeBytes > StemFile::kMostFrames * static_cast<std::int64_t>(sizeof(float)) + kPage)
    return std::nullopt;
  std::vector<std::int64_t> all(static_cast<std::size_t>(channels), planeBytes);
  std::int64_t peaks = 0;
  for (const std::int64_t count : peakCount) {
    if (count < 0 || count > StemFile::kMostFrames) return std::nullopt;
    peaks += count * static_cast<std::int64_t>(sizeof(Peak));
  }
  all.push_back(peaks);
  return all;
}

std::int64_t blocksOf(const std::vector<std::int64_t>& parts) {
  std::int64_t n = 0;
  for (const std::int64_t bytes : parts) n += (bytes + kCheckBlock - 1) / kCheckBlock;
  return n;
}

/// The checksums of one part as it is written.
class Checksums {
 public:
  Checksums() { XXH3_64bits_reset(state_.get()); }
  void add(const void* data, std::int64_t bytes) {
    for (const char* p = static_cast<const char*>(data); bytes > 0;) {
      const std::int64_t n = std::min(bytes, kCheckBlock - held_);
      XXH3_64bits_update(state_.get(), p, static_cast<std::size_t>(n));
      p += n;
      bytes -= n;
      held_ += n;
      if (held_ == kCheckBlock) close();
    }
  }
  void addZeros(std::int64_t bytes) {
    static const std::vector<char> zeros(65536);
    for (; bytes > 0; bytes -= 65536) add(zeros.data(), std::min<std::int64_t>(bytes, 65536));
  }
  const std::vector<std::uint64_t>& finish() {
    if (held_ > 0) close();
    return table_;
  }

 private:
  void close() {
    table_.push_back(XXH3_64bits_digest(state_.get()));
    XXH3_64bits_reset(state_.get());
    held_ = 0;
  }
  struct Free {
    void operator()(XXH3_state_t* s) const { XXH3_freeState(s); }
  };
  std::unique_ptr<XXH3_state_t, Free> state_{XXH3_createState()};
  std::vector<std::uint64_t> table_;
  std::int64_t held_ = 0;
};

} // namespace

StemFile::Written StemFile::write(AudioReader& reader, std::int64_t frames, int songRate, const fs::path& target,
                                  std::stop_token stop, const Progress& progress) {
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
    return {worded("not enough space in the cache folder %1", target.parent_path().string())};
  NewFile out(target);
  const auto writeFailed = [&]() -> Written {
    return {worded("cannot write the cache folder %1: %2", target.parent_path().string(), systemWords(errno))};
  };
  if (out.fd() < 0) return writeFailed();

  constexpr std::int64_t kImportBlock = 32768;
  std::vector<float> left(kImportBlock), right(kImportBlock);
  PeakPyramid peaks;
  Checksums checks[3]; // left, right, peaks
  std::int64_t done = 0;
  while (done < frames) {
    if (stop.stop_requested()) return {"stopped"};
    const std::int64_t n = reader.read(left.data(), right.data(), std::min(kImportBlock, frames - done));
    if (n == 0) break;
    h.badSamples += silenceBroken(left.data(), n);
    if (channels == 2) h.badSamples += silenceBroken(right.data(), n);
    const float* other = channels == 2 ? right.data() : left.data();
    peaks.append(left.data(), other, n);
    const std::int64_t at = done * static_cast<std::int64_t>(sizeof(float)),
                       bytes = n * static_cast<std::int64_t>(sizeof(float));
    if (!out.writeAt(left.data(), bytes, kPage + at)) return writeFailed();
    if (channels == 2 && !out.writeAt(right.data(), bytes, kPage + h.planeBytes + at)) return writeFailed();
    checks[0].add(left.data(), bytes);
    if (channels == 2) checks[1].add(right.data(), bytes);
    done += n;
    if (progress) progress(done, frames);
  }
  if (std::string why = reader.failure(); !why.empty()) return {worded("cannot be read: %1", why)};
  if (done == 0) return {worded("has no audio that can be decoded")};
  if (done < frames / 2) return {"short", done};
  h.frames = done; // a truncated file: what there was
  h.truncated = reader.truncated() || done < reader.frames() ? 1 : 0;
  peaks.finish();
  std::int64_t at = kPage + h.planeBytes * channels;
  for (int k = 0; k < PeakPyramid::kLevels; ++k) {
    const auto& level = peaks.level(k);
    h.peakCount[k] = static_cast<std::int64_t>(level.size());
    const auto bytes = static_cast<std::int64_t>(level.size() * sizeof(Peak));
    if (!out.writeAt(level.data(), bytes, at)) return writeFailed();
    checks[2].add(level.data(), bytes);
    at += bytes;
  }
  std::vector<std::uint64_t> table;
  for (int part = 0; part < 3; ++part) {
    if (part == 1 && channels == 1) continue;
    if (part < 2) checks[part].addZeros(h.planeBytes - done * static_cast<std::int64_t>(sizeof(float)));
    const auto& own = checks[part].finish();
    table.insert(table.end(), own.begin(), own.end());
  }
  const auto tableBytes = static_cast<std::int64_t>(table.size() * sizeof table[0]);
  h.tableCheck = XXH3_64bits(table.data(), static_cast<std::size_t>(tableBytes));
  h.check = h.checkOf();
  if (!out.writeAt(table.data(), tableBytes, at) || ::ftruncate(out.fd(), wholePages(at + tableBytes)) != 0 ||
      !out.writeAt(&h, sizeof h, 0) || !out.putInPlace())
    return writeFailed();
  return {{}, done};
}

std::shared_ptr<const StemAudio> StemFile::open(int fd, int songRate, const std::string& digest, std::string& why) {
  struct stat st {};
  Header h{};
  if (::fstat(fd, &st) != 0 || ::pread(fd, &h, sizeof h, 0) != static_cast<ssize_t>(sizeof h)) return nullptr;
  auto parts = h.parts(songRate);
  if (!parts) return nullptr;
  const std::int64_t checked = std::accumulate(parts->begin(), parts->end(), std::int64_t{0});
  const auto tableBytes = blocksOf(*parts) * static_cast<std::int64_t>(sizeof(std::uint64_t));
  if (kPage + checked + tableBytes > st.st_size) return nullptr;
  std::shared_ptr<StemAudio> a(new StemAudio);
  a->map_ = MappedFile::map(fd, static_cast<std::size_t>(kPage + checked + tableBytes));
  if (!a->map_) {
    why = systemWords(errno);
    return nullptr;
  }
  const char* base = a->map_->data();
  if (XXH3_64bits(base + kPage + checked, static_cast<std::size_t>(tableBytes)) != h.tableCheck) return nullptr;
  a->channels_ = h.channels;
  a->fileRate_ = h.fileRate;
  a->songRate_ = h.songRate;
  a->frames_ = h.frames;
  a->badSamples_ = h.badSamples;
  a->truncated_ = h.truncated != 0;
  a->parts_ = std::move(*parts);
  a->digest_ = digest;
  a->left_ = reinterpret_cast<const float*>(base + kPage);
  a->right_ = h.channels == 2 ? reinterpret_cast<const float*>(base + kPage + h.planeBytes) : a->left_;
  const char* at = base + kPage + h.planeBytes * h.channels;
  for (int k = 0; k < PeakPyramid::kLevels; ++k) {
    a->peaks_.levels[k] = {reinterpret_cast<const Peak*>(at), static_cast<std::size_t>(h.peakCount[k])};
    at += static_cast<std::size_t>(h.peakCount[k]) * sizeof(Peak);
  }
  a->peaks_.frames = h.frames;
  return a;
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

bool StemAudio::verify(std::stop_token stop) const {
  const char* data = map_->data() + kPage;
  const char* table = data + std::accumulate(parts_.begin(), parts_.end(), std::int64_t{0});
  for (const std::int64_t bytes : parts_) {
    for (std::int64_t at = 0; at < bytes && !stop.stop_requested(); at += kCheckBlock) {
      const std::uint64_t is = XXH3_64bits(data + at, static_cast<std::size_t>(std::min(kCheckBlock, bytes - at)));
      std::uint64_t was = 0;
      std::memcpy(&was, table, sizeof was);
      if (is != was) return false;
      table += sizeof was;
    }
    data += bytes;
  }
  return !damaged();
}

} // namespace ivrin
