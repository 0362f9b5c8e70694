#include "audio/chunk_store.h"

#include "time/check.h"

#include <cstdlib>
#include <fcntl.h>
#include <new>
#include <string>
#include <sys/mman.h>
#include <unistd.h>
#ifdef __SANITIZE_ADDRESS__
#include <sanitizer/asan_interface.h>
#else
#define ASAN_POISON_MEMORY_REGION(at, bytes) static_cast<void>(0)
#define ASAN_UNPOISON_MEMORY_REGION(at, bytes) static_cast<void>(0)
#endif

namespace ivrin {
namespace fs = std::filesystem;
namespace {

// What the file leaves free on its disk: others want to write too.
constexpr std::uintmax_t kLeftOnDisk = std::uintmax_t{512} << 20;

/// A file without a name; −1 where there can be none.
int namelessFile(const fs::path& folder) {
  std::error_code ec;
  fs::create_directories(folder, ec);
  const int fd = ::open(folder.c_str(), O_RDWR | O_TMPFILE | O_CLOEXEC, 0600);
  if (fd >= 0) return fd;
  std::string name = (folder / "sound-XXXXXX").string();
  const int named = ::mkostemp(name.data(), O_CLOEXEC);
  if (named >= 0) ::unlink(name.c_str());
  return named;
}

} // namespace

ChunkStore::ChunkStore()
    : ChunkStore(Options()) {}

ChunkStore::ChunkStore(Options options)
    : options_(std::move(options)) {}

ChunkStore::~ChunkStore() {
  IVRIN_CHECK(1, used_ == 0);
  for (const auto& [begin, slab] : slabs_) {
    ASAN_UNPOISON_MEMORY_REGION(begin, kSlabBytes);
    ::munmap(begin, kSlabBytes);
  }
  if (file_ >= 0) ::close(file_);
}

/// A slab of the file, mapped; nothing where the file cannot have it.
char* ChunkStore::mapFile(std::int64_t& offset) {
  if (options_.folder.empty()) return nullptr;
  if (file_ < 0) file_ = namelessFile(options_.folder);
  if (file_ < 0) return nullptr;
  std::error_code unknown;
  const auto space = fs::space(options_.folder, unknown);
  if (!unknown && space.available < kLeftOnDisk) return nullptr;
  offset = gaps_.empty() ? fileEnd_ : gaps_.back();
  // All of it is there before it is mapped: a write to a mapping cannot be told that the disk is full.
  if (::posix_fallocate(file_, offset, static_cast<off_t>(kSlabBytes)) != 0) return nullptr;
  void* at = ::mmap(nullptr, kSlabBytes, PROT_READ | PROT_WRITE, MAP_SHARED, file_, offset);
  if (at == MAP_FAILED) return nullptr;
  if (gaps_.empty())
    fileEnd_ += static_cast<std::int64_t>(kSlabBytes);
  else
    gaps_.pop_back();
  return static_cast<char*>(at);
}

ChunkStore::Slabs::iterator ChunkStore::grow() {
  Slab slab;
  slab.free = (1u << kChunksPerSlab) - 1;
  const auto bytes = static_cast<std::int64_t>(kSlabBytes);
  char* begin = inMemory_ + bytes > options_.memoryBytes ? mapFile(slab.offset) : nullptr;
  slab.inFile = begin != nullptr;
  if (!begin) {
    void* at = ::mmap(nullptr, kSlabBytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (at == MAP_FAILED) throw std::bad_alloc();
    begin = static_cast<char*>(at);
  }
  (slab.inFile ? inFile_ : inMemory_) += bytes;
  ++emptySlabs_;
  const auto made = slabs_.emplace(begin, slab).first;
  ASAN_POISON_MEMORY_REGION(begin, kSlabBytes);
  open_[slab.inFile].push_back(begin);
  return made;
}

void ChunkStore::drop(Slabs::iterator slab) {
  const bool inFile = slab->second.inFile;
  ASAN_UNPOISON_MEMORY_REGION(slab->first, kSlabBytes); // somebody else's from now on
  ::munmap(slab->first, kSlabBytes);
  if (inFile) {
    ::fallocate(file_, FALLOC_FL_PUNCH_HOLE | FALLOC_FL_KEEP_SIZE, slab->second.offset, static_cast<off_t>(kSlabBytes));
    gaps_.push_back(slab->second.offset);
  }
  (inFile ? inFile_ : inMemory_) -= static_cast<std::int64_t>(kSlabBytes);
  std::erase(open_[inFile], slab->first);
  slabs_.erase(slab);
  --emptySlabs_;
}

float* ChunkStore::take() {
  std::lock_guard lock(mutex_);
  auto slab = slabs_.end();
  for (auto& open : open_) { // memory first
    while (!open.empty() && slabs_.find(open.back())->second.free == 0) open.pop_back();
    if (slab == slabs_.end() && !open.empty()) slab = slabs_.find(open.back());
  }
  if (slab == slabs_.end()) slab = grow();
  Slab& s = slab->second;
  const int bit = __builtin_ctz(s.free);
  s.free &= s.free - 1;
  if (s.used++ == 0) --emptySlabs_;
  used_ += static_cast<std::int64_t>(kChunkBytes);
  char* const chunk = slab->first + static_cast<std::size_t>(bit) * kChunkBytes;
  ASAN_UNPOISON_MEMORY_REGION(chunk, kChunkBytes);
  return reinterpret_cast<float*>(chunk);
}

void ChunkStore::give(float* chunk) {
  std::lock_guard lock(mutex_);
  const auto slab = std::prev(slabs_.upper_bound(reinterpret_cast<char*>(chunk)));
  Slab& s = slab->second;
  const auto nth = static_cast<std::size_t>(reinterpret_cast<char*>(chunk) - slab->first) / kChunkBytes;
  IVRIN_CHECK(1, nth < kChunksPerSlab && (s.free & (1u << nth)) == 0);
  ASAN_POISON_MEMORY_REGION(chunk, kChunkBytes);
  if (s.free == 0) open_[s.inFile].push_back(slab->first);
  s.free |= 1u << nth;
  used_ -= static_cast<std::int64_t>(kChunkBytes);
  if (--s.used > 0) return;
  ++emptySlabs_;
  if (emptySlabs_ > kSpareSlabs || s.inFile) drop(slab);
}

std::int64_t ChunkStore::bytesInMemory() const {
  std::lock_guard lock(mutex_);
  return inMemory_;
}

std::int64_t ChunkStore::bytesInFile() const {
  std::lock_guard lock(mutex_);
  return inFile_;
}

std::int64_t ChunkStore::bytesInUse() const {
  std::lock_guard lock(mutex_);
  return used_;
}

} // namespace ivrin
