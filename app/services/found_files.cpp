#include "services/found_files.h"

#include "files/safe_file.h"

#include <xxhash.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <iterator>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

/// To be raised whenever the same sound gives other findings.
constexpr std::uint32_t kVersion = 2;
constexpr char kMagic[8] = {'i', 'v', 'r', 'f', 'o', 'u', 'n', 'd'};
constexpr std::size_t kMostFiles = 800;                         // a quarter of a megabyte each
constexpr std::uintmax_t kMostBytes = std::uintmax_t{64} << 20; // of one that is read: four hours have five million

template <class T> void put(std::string& out, const T& value) {
  out.append(reinterpret_cast<const char*>(&value), sizeof value);
}
template <class T> void putAll(std::string& out, const std::vector<T>& values) {
  static_assert(std::is_trivially_copyable_v<T>);
  put(out, static_cast<std::uint64_t>(values.size()));
  if (!values.empty()) out.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T));
}

/// Reads what put() wrote; false, once and for all, where there is less than that.
class Bytes {
 public:
  explicit Bytes(const std::string& all)
      : at_(all.data())
      , end_(all.data() + all.size()) {}
  template <class T> bool get(T& value) {
    if (static_cast<std::size_t>(end_ - at_) < sizeof value) return false;
    std::memcpy(&value, at_, sizeof value);
    at_ += sizeof value;
    return true;
  }
  template <class T> bool getAll(std::vector<T>& values) {
    std::uint64_t count = 0;
    if (!get(count) || count > static_cast<std::uint64_t>(end_ - at_) / sizeof(T)) return false;
    values.resize(count);
    if (count > 0) std::memcpy(static_cast<void*>(values.data()), at_, count * sizeof(T));
    at_ += count * sizeof(T);
    return true;
  }
  bool ended() const { return at_ == end_; }

 private:
  const char *at_, *end_;
};

} // namespace

FoundFiles::FoundFiles(const fs::path& cacheFolder)
    : folder_(cacheFolder.empty() ? fs::path() : cacheFolder / "found") {}

fs::path FoundFiles::fileOf(const std::string& sound) const {
  const XXH128_hash_t h = XXH3_128bits(sound.data(), sound.size());
  char name[64];
  std::snprintf(name, sizeof name, "%016llx%016llx", static_cast<unsigned long long>(h.high64),
                static_cast<unsigned long long>(h.low64));
  return folder_ / name;
}

std::shared_ptr<const RowFindings> FoundFiles::read(const std::string& sound) const {
  if (folder_.empty()) return nullptr;
  std::error_code ec;
  const fs::path file = fileOf(sound);
  std::string why;
  const auto text = readWholeFile(file, kMostBytes, why);
  if (!text) return nullptr;
  std::string all = *text;
  std::uint64_t sum = 0;
  if (all.size() < sizeof sum) return nullptr;
  std::memcpy(&sum, all.data() + all.size() - sizeof sum, sizeof sum);
  all.resize(all.size() - sizeof sum);
  if (XXH3_64bits(all.data(), all.size()) != sum) return nullptr;

  Bytes bytes(all);
  char magic[8];
  std::uint32_t version = 0;
  auto found = std::make_shared<RowFindings>();
  if (!bytes.get(magic) || std::memcmp(magic, kMagic, sizeof magic) != 0 || !bytes.get(version) || version != kVersion)
    return nullptr;
  if (!bytes.get(found->whole) || !bytes.get(found->decaySeconds) || !bytes.getAll(found->phrases) ||
      !bytes.getAll(found->onsets) || !bytes.get(found->octaves.begin) || !bytes.get(found->octaves.hopFrames) ||
      !bytes.getAll(found->octaves.steps) || !bytes.get(found->notes.begin) || !bytes.get(found->notes.stepSeconds) ||
      !bytes.getAll(found->notes.steps) || !bytes.ended())
    return nullptr;
  fs::last_write_time(file, fs::file_time_type::clock::now(), ec); // what is used stays longest
  return found;
}

void FoundFiles::write(const std::string& sound, const RowFindings& found) const {
  if (folder_.empty()) return;
  std::string all(kMagic, sizeof kMagic);
  put(all, kVersion);
  put(all, found.whole);
  put(all, found.decaySeconds);
  putAll(all, found.phrases);
  putAll(all, found.onsets);
  put(all, found.octaves.begin);
  put(all, found.octaves.hopFrames);
  putAll(all, found.octaves.steps);
  put(all, found.notes.begin);
  put(all, found.notes.stepSeconds);
  putAll(all, found.notes.steps);
  put(all, static_cast<std::uint64_t>(XXH3_64bits(all.data(), all.size())));
  std::error_code ec;
  fs::create_directories(folder_, ec);
  std::string why;
  if (makeWay(fileOf(sound))) replaceFile(fileOf(sound), all, why);
  trim();
}

void FoundFiles::trim() const {
  struct Entry {
    fs::file_time_type used;
    fs::path path;
  };
  std::vector<Entry> all;
  std::error_code ec;
  for (auto e = fs::directory_iterator(folder_, ec); !ec && e != fs::directory_iterator(); e.increment(ec)) {
    std::error_code gone;
    const auto used = e->last_write_time(gone);
    if (!gone) all.push_back({used, e->path()});
  }
  if (all.size() <= kMostFiles) return;
  std::sort(all.begin(), all.end(), [](const Entry& a, const Entry& b) { return a.used < b.used; });
  for (std::size_t i = 0; i + kMostFiles < all.size(); ++i) fs::remove(all[i].path, ec);
}

} // namespace ivrin
