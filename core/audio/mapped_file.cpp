#include "audio/mapped_file.h"

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdint>
#include <mutex>
#include <sys/mman.h>
#include <unistd.h>

namespace ivrin {
namespace {

constexpr std::uintptr_t kFaultPage = 4096; // of x86-64; a larger page is made of these
constexpr int kMostMappings = 4096;

struct Entry {
  std::atomic<bool> taken{false}, damaged{false};
  std::atomic<std::uintptr_t> begin{0}, end{0}; // begin 0: nothing
};
Entry entries[kMostMappings];
struct sigaction before;

void onFault(int number, siginfo_t* info, void* context) {
  const int error = errno;
  const auto at = reinterpret_cast<std::uintptr_t>(info->si_addr);
  for (Entry& e : entries) {
    const std::uintptr_t begin = e.begin.load(std::memory_order_acquire);
    if (begin == 0 || at < begin || at >= e.end.load(std::memory_order_relaxed)) continue;
    // mmap is a bare system call here: nothing is allocated or locked on our side.
    void* page = reinterpret_cast<void*>(at / kFaultPage * kFaultPage);
    if (::mmap(page, kFaultPage, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) == MAP_FAILED) break;
    e.damaged.store(true, std::memory_order_release);
    errno = error;
    return; // the read that faulted is done again, and finds zeros
  }
  // Not ours: as it was before us; the fault comes again and is dealt with there.
  static_cast<void>(number);
  static_cast<void>(context);
  ::sigaction(SIGBUS, &before, nullptr);
}

/// For file systems that cannot map; MAP_FAILED where it cannot be read.
void* readIntoMemory(int fd, std::size_t bytes) {
  void* data = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  if (data == MAP_FAILED) return data;
  for (std::size_t at = 0; at < bytes;) {
    const ssize_t n = ::pread(fd, static_cast<char*>(data) + at, bytes - at, static_cast<off_t>(at));
    if (n < 0 && errno == EINTR) continue;
    if (n == 0) break; // shorter than it says: zeros, as what was not there when it is read
    if (n < 0) {
      ::munmap(data, bytes);
      return MAP_FAILED;
    }
    at += static_cast<std::size_t>(n);
  }
  ::mprotect(data, bytes, PROT_READ);
  return data;
}

} // namespace

std::unique_ptr<MappedFile> MappedFile::map(int fd, std::size_t bytes) {
  static std::once_flag once;
  std::call_once(once, [] {
    struct sigaction ours {};
    ours.sa_sigaction = onFault;
    ours.sa_flags = SA_SIGINFO | SA_RESTART;
    ::sigemptyset(&ours.sa_mask);
    ::sigaction(SIGBUS, &ours, &before);
  });
  int entry = 0;
  while (entry < kMostMappings && entries[entry].taken.exchange(true)) ++entry;
  if (entry == kMostMappings) {
    errno = EMFILE;
    return nullptr;
  }
  void* data = ::mmap(nullptr, bytes, PROT_READ, MAP_SHARED, fd, 0);
  if (data == MAP_FAILED && errno == ENODEV) data = readIntoMemory(fd, bytes);
  if (data == MAP_FAILED) {
    entries[entry].taken = false;
    return nullptr;
  }
  std::unique_ptr<MappedFile> m(new MappedFile);
  m->data_ = static_cast<const char*>(data);
  m->bytes_ = bytes;
  m->entry_ = entry;
  Entry& e = entries[entry];
  e.damaged = false;
  const auto begin = reinterpret_cast<std::uintptr_t>(data);
  e.end.store((begin + bytes + kFaultPage - 1) / kFaultPage * kFaultPage, std::memory_order_relaxed);
  e.begin.store(begin, std::memory_order_release);
  return m;
}

MappedFile::~MappedFile() {
  Entry& e = entries[entry_];
  e.begin.store(0, std::memory_order_release);
  ::munmap(const_cast<char*>(data_), bytes_);
  e.taken = false;
}

bool MappedFile::damaged() const {
  return entries[entry_].damaged.load(std::memory_order_acquire);
}

} // namespace ivrin
