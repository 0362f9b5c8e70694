// The functions of the C library that touch files, in front of its own: those of the program come first for every
// library that is loaded.
#include "faults.h"

#include <atomic>
#include <cerrno>
#include <cstdarg>
#include <cstdlib>
#include <dirent.h>
#include <dlfcn.h>
#include <fcntl.h>
#include <new>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace {

std::atomic<bool> armed{false};
std::atomic<long> count{0}, failing{0};
std::atomic<int> errorGiven{0};
std::atomic<bool> forever{false};
std::atomic<const char*> failed{nullptr};
std::atomic<ivrin::test::Lacking> lacking{ivrin::test::Lacking::nothing};

bool lacks(ivrin::test::Lacking what, int error) {
  if (lacking != what) return false;
  errno = error;
  return true;
}
bool lacksLinks() {
  return lacks(ivrin::test::Lacking::links, EPERM) || lacks(ivrin::test::Lacking::linksAndNamelessFiles, EPERM);
}
bool lacksNameless(int flags) {
  return (flags & O_TMPFILE) == O_TMPFILE && (lacks(ivrin::test::Lacking::namelessFiles, EOPNOTSUPP) ||
                                              lacks(ivrin::test::Lacking::linksAndNamelessFiles, EOPNOTSUPP));
}

/// What was read, as a disk gives it that has lost a bit.
ssize_t asRead(void* data, ssize_t n) {
  if (n > 0 && lacking == ivrin::test::Lacking::trueReads) *static_cast<char*>(data) ^= 1;
  return n;
}

std::atomic<bool> noMemory{false};
thread_local bool spared = false;

/// True where this one fails.
bool fails(const char* what) {
  if (!armed) return false;
  const long n = ++count, at = failing;
  if (at == 0 || n < at || (n > at && !forever)) return false;
  if (n == at) failed = what;
  errno = errorGiven;
  return true;
}

template <class F> F next(F, const char* name) {
  return reinterpret_cast<F>(dlsym(RTLD_NEXT, name));
}

} // namespace

namespace ivrin::test {

void armFaults(long n, int error, bool all) {
  count = 0;
  failing = n;
  errorGiven = error;
  forever = all;
  failed = nullptr;
  armed = true;
}

long disarmFaults() {
  armed = false;
  return count;
}

void lack(Lacking what) {
  lacking = what;
}

NoMemoryElsewhere::NoMemoryElsewhere() {
  spared = true;
  noMemory = true;
}
NoMemoryElsewhere::~NoMemoryElsewhere() {
  noMemory = false;
}

std::string failedOperation() {
  const char* f = failed;
  return f ? f : "";
}

} // namespace ivrin::test

void* operator new(std::size_t n) {
  void* p = noMemory && !spared ? nullptr : std::malloc(n);
  if (!p) throw std::bad_alloc();
  return p;
}
void operator delete(void* p) noexcept {
  std::free(p);
}
void operator delete(void* p, std::size_t) noexcept {
  std::free(p);
}

#define REAL(name) static const auto real = next(&name, #name)

extern "C" {

int open(const char* path, int flags, ...) {
  REAL(open);
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? static_cast<mode_t>(va_arg(more, int)) : 0;
  va_end(more);
  return lacksNameless(flags) || fails("open") ? -1 : real(path, flags, mode);
}
int open64(const char* path, int flags, ...) {
  REAL(open64);
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? static_cast<mode_t>(va_arg(more, int)) : 0;
  va_end(more);
  return lacksNameless(flags) || fails("open") ? -1 : real(path, flags, mode);
}
ssize_t write(int fd, const void* data, size_t n) {
  REAL(write);
  return fails("write") ? -1 : real(fd, data, n);
}
ssize_t pwrite(int fd, const void* data, size_t n, off_t at) {
  REAL(pwrite);
  return fails("pwrite") ? -1 : real(fd, data, n, at);
}
ssize_t pwrite64(int fd, const void* data, size_t n, off64_t at) {
  REAL(pwrite64);
  return fails("pwrite") ? -1 : real(fd, data, n, at);
}
ssize_t read(int fd, void* data, size_t n) {
  REAL(read);
  return fails("read") ? -1 : real(fd, data, n);
}
ssize_t pread(int fd, void* data, size_t n, off_t at) {
  REAL(pread);
  return fails("pread") ? -1 : asRead(data, real(fd, data, n, at));
}
ssize_t pread64(int fd, void* data, size_t n, off64_t at) {
  REAL(pread64);
  return fails("pread") ? -1 : asRead(data, real(fd, data, n, at));
}
int fsync(int fd) {
  REAL(fsync);
  struct stat st {};
  if (lacking == ivrin::test::Lacking::folderSync && ::fstat(fd, &st) == 0 && S_ISDIR(st.st_mode)) {
    errno = EINVAL;
    return -1;
  }
  return fails("fsync") ? -1 : real(fd);
}
int fdatasync(int fd) {
  REAL(fdatasync);
  return fails("fdatasync") ? -1 : real(fd);
}
int flock(int fd, int operation) {
  REAL(flock);
  return lacks(ivrin::test::Lacking::locks, ENOLCK) || fails("flock") ? -1 : real(fd, operation);
}
int ftruncate(int fd, off_t n) {
  REAL(ftruncate);
  return fails("ftruncate") ? -1 : real(fd, n);
}
int ftruncate64(int fd, off64_t n) {
  REAL(ftruncate64);
  return fails("ftruncate") ? -1 : real(fd, n);
}
off_t lseek(int fd, off_t at, int whence) {
  REAL(lseek);
  return fails("lseek") ? -1 : real(fd, at, whence);
}
off64_t lseek64(int fd, off64_t at, int whence) {
  REAL(lseek64);
  return fails("lseek") ? -1 : real(fd, at, whence);
}
int rename(const char* from, const char* to) {
  REAL(rename);
  return fails("rename") ? -1 : real(from, to);
}
int link(const char* from, const char* to) {
  REAL(link);
  return lacksLinks() || fails("link") ? -1 : real(from, to);
}
int linkat(int a, const char* from, int b, const char* to, int flags) {
  REAL(linkat);
  return lacksLinks() || fails("linkat") ? -1 : real(a, from, b, to, flags);
}
int unlink(const char* path) {
  REAL(unlink);
  return fails("unlink") ? -1 : real(path);
}
int mkdir(const char* path, mode_t mode) {
  REAL(mkdir);
  return fails("mkdir") ? -1 : real(path, mode);
}
int fstat(int fd, struct stat* st) {
  REAL(fstat);
  return fails("fstat") ? -1 : real(fd, st);
}
int fstat64(int fd, struct stat64* st) {
  REAL(fstat64);
  return fails("fstat") ? -1 : real(fd, st);
}
int stat(const char* path, struct stat* st) {
  static const auto real = reinterpret_cast<int (*)(const char*, struct stat*)>(dlsym(RTLD_NEXT, "stat"));
  return fails("stat") ? -1 : real(path, st);
}
int lstat(const char* path, struct stat* st) {
  REAL(lstat);
  return fails("lstat") ? -1 : real(path, st);
}
DIR* opendir(const char* path) {
  REAL(opendir);
  return fails("opendir") ? nullptr : real(path);
}
void* mmap(void* at, size_t n, int protection, int flags, int fd, off_t offset) {
  // Called before any library is loaded, and for memory: only mappings of files count.
  static const auto real = next(&mmap, "mmap");
  return fd >= 0 && (lacks(ivrin::test::Lacking::maps, ENODEV) || fails("mmap"))
             ? MAP_FAILED
             : real(at, n, protection, flags, fd, offset);
}

} // extern "C"
