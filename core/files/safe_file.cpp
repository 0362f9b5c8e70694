#include "files/safe_file.h"

#include "words/words.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <charconv>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <map>
#include <set>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

const char* kindOf(mode_t mode) {
  return S_ISREG(mode)    ? "a file"
         : S_ISDIR(mode)  ? "a folder"
         : S_ISFIFO(mode) ? "a pipe"
         : S_ISSOCK(mode) ? "a socket"
                          : "a device";
}

} // namespace

std::string whatItIs(const fs::path& file) {
  struct stat st {};
  if (::stat(file.c_str(), &st) == 0) return kindOf(st.st_mode);
  return ::lstat(file.c_str(), &st) == 0 ? "a link that leads nowhere" : "";
}

std::string systemWords(int error) {
  if (error == EFBIG) return worded("no space left on the disk, or the system limits the size of files");
  return std::strerror(error);
}

bool makeWay(const fs::path& entry) {
  std::error_code failed;
  const auto is = fs::symlink_status(entry, failed).type();
  if (is == fs::file_type::not_found || is == fs::file_type::regular) return true;
  if (fs::remove(entry, failed)) return true;
  for (int n = 1; n <= 100; ++n) {
    const fs::path aside = entry.string() + ".aside-" + std::to_string(n);
    if (fs::exists(fs::symlink_status(aside, failed))) continue;
    fs::rename(entry, aside, failed);
    return !failed;
  }
  return false;
}

std::optional<std::string> readWholeFile(const fs::path& file, std::size_t maxBytes, std::string& why) {
  // O_NONBLOCK: a named pipe must not hang the reader; it is refused below.
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) {
    why = worded("cannot open %1: %2", file.string(), systemWords(errno));
    return std::nullopt;
  }
  struct stat st {};
  if (::fstat(fd, &st) != 0 || !S_ISREG(st.st_mode) || static_cast<std::size_t>(st.st_size) > maxBytes) {
    why = S_ISREG(st.st_mode) ? worded("%1 is larger than %2 MiB", file.string(), maxBytes >> 20)
                              : worded("%1 is %2, not a file", file.string(), worded(kindOf(st.st_mode)));
    ::close(fd);
    return std::nullopt;
  }
  std::string text(static_cast<std::size_t>(st.st_size), '\0');
  std::size_t got = 0;
  while (got < text.size()) {
    const ssize_t n = ::read(fd, text.data() + got, text.size() - got);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) {
      why = worded("cannot read %1: %2", file.string(), systemWords(errno));
      ::close(fd);
      return std::nullopt;
    }
    if (n == 0) break;
    got += static_cast<std::size_t>(n);
  }
  text.resize(got);
  ::close(fd);
  return text;
}

namespace {

constexpr const char* kNew = ".new-"; // then the process that writes it, and a number

fs::path folderOf(const fs::path& file) {
  return file.has_parent_path() ? file.parent_path() : fs::path(".");
}

/// "123" or "123-4": the process; 0 for anything else.
int processOf(std::string_view rest) {
  int process = 0, number = 0;
  const char* end = rest.data() + rest.size();
  auto [at, error] = std::from_chars(rest.data(), end, process);
  if (error != std::errc() || process <= 0) return 0;
  if (at == end) return process;
  if (*at != '-') return 0;
  const auto second = std::from_chars(at + 1, end, number);
  return second.ec == std::errc() && second.ptr == end ? process : 0;
}

fs::path freshName(const fs::path& target) {
  static std::atomic<unsigned> serial{0};
  return target.string() + kNew + std::to_string(::getpid()) + "-" + std::to_string(serial++);
}

} // namespace

NewFile::NewFile(fs::path target, unsigned mode)
    : target_(std::move(target)) {
  static const bool nameless = ::access("/proc/self/fd", X_OK) == 0; // by which it gets its name later
  if (nameless) fd_ = ::open(folderOf(target_).c_str(), O_RDWR | O_TMPFILE | O_CLOEXEC, mode);
  if (fd_ >= 0) return;
  for (int attempt = 0; fd_ < 0 && attempt < 100; ++attempt) {
    name_ = freshName(target_);
    fd_ = ::open(name_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
    if (fd_ < 0 && errno != EEXIST) break;
  }
  if (fd_ < 0) name_.clear();
}

NewFile::~NewFile() {
  const int error = errno; // of what failed before
  if (fd_ >= 0) ::close(fd_);
  if (!name_.empty()) ::unlink(name_.c_str());
  errno = error;
}

bool NewFile::writeAt(const void* data, std::int64_t bytes, std::int64_t offset) const {
  const char* p = static_cast<const char*>(data);
  while (bytes > 0) {
    const ssize_t n = ::pwrite(fd_, p, static_cast<std::size_t>(bytes), offset);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    p += n;
    offset += n;
    bytes -= n;
  }
  return true;
}

bool NewFile::holds(std::string_view contents) const {
  std::array<char, 65536> part{};
  for (std::size_t at = 0; at < contents.size();) {
    const ssize_t n = ::pread(fd_, part.data(), std::min(part.size(), contents.size() - at), static_cast<off_t>(at));
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return false;
    if (n == 0 || contents.compare(at, static_cast<std::size_t>(n), part.data(), static_cast<std::size_t>(n)) != 0) {
      errno = EIO;
      return false;
    }
    at += static_cast<std::size_t>(n);
  }
  struct stat st {};
  if (::fstat(fd_, &st) != 0) return false;
  if (static_cast<std::size_t>(st.st_size) == contents.size()) return true;
  errno = EIO;
  return false;
}

bool NewFile::putInPlace() {
  if (::fsync(fd_) != 0) return false;
  if (name_.empty()) {
    const std::string self = "/proc/self/fd/" + std::to_string(fd_);
    const auto link = [&](const fs::path& name) {
      return ::linkat(AT_FDCWD, self.c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) == 0;
    };
    // Where nothing is yet its own name will do. A rename replaces, a link does not: else another one for a moment.
    if (link(target_)) return syncFolder();
    for (int attempt = 0; errno == EEXIST && attempt < 100; ++attempt)
      if (const fs::path name = freshName(target_); link(name)) {
        name_ = name;
        break;
      }
    if (name_.empty() && !copyUnderName()) return false;
  }
  if (::rename(name_.c_str(), target_.c_str()) != 0) return false;
  name_.clear();
  return syncFolder();
}

/// Where the file system knows no hard links: what was written once more, in a file that has a name.
bool NewFile::copyUnderName() {
  struct stat st {};
  if ((errno != EPERM && errno != EOPNOTSUPP && errno != ENOSYS) || ::fstat(fd_, &st) != 0) return false;
  name_ = freshName(target_);
  const int nameless = fd_;
  fd_ = ::open(name_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, st.st_mode & 0777);
  std::array<char, 65536> part{};
  bool whole = fd_ >= 0;
  for (std::int64_t at = 0; whole && at < st.st_size;) {
    const ssize_t n = ::pread(nameless, part.data(), part.size(), at);
    if (n < 0 && errno == EINTR) continue;
    whole = n > 0 && writeAt(part.data(), n, at);
    at += n;
  }
  ::close(nameless);
  return whole && ::fsync(fd_) == 0;
}

/// The folder's own entry; where it cannot be synced, the file is there all the same.
bool NewFile::syncFolder() const {
  if (const int dir = ::open(folderOf(target_).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); dir >= 0) {
    ::fsync(dir);
    ::close(dir);
  }
  return true;
}

void removeLeftovers(const std::vector<fs::path>& targets) {
  // One of a process that lives, here or on another machine that shares the folder, is younger than a minute.
  std::map<fs::path, std::set<std::string>> names; // by folder
  for (const fs::path& t : targets) names[folderOf(t)].insert(t.filename().string());
  std::error_code ignored;
  for (const auto& [folder, ours] : names)
    for (auto it = fs::directory_iterator(folder, ignored); it != fs::directory_iterator(); it.increment(ignored)) {
      const std::string name = it->path().filename().string();
      const auto at = name.rfind(kNew);
      if (at == std::string::npos || !ours.contains(name.substr(0, at))) continue;
      const int process = processOf(std::string_view(name).substr(at + std::strlen(kNew)));
      if (process == 0 || ::kill(process, 0) == 0) continue;
      const auto written = fs::last_write_time(it->path(), ignored);
      if (!ignored && fs::file_time_type::clock::now() - written > std::chrono::minutes(1))
        fs::remove(it->path(), ignored);
    }
}

namespace {

/// What `file` holds is there as `version` too: another name of it, or a copy where files have one name only.
bool alsoAs(const fs::path& version, const fs::path& file) {
  if (::link(file.c_str(), version.c_str()) == 0) return true;
  struct stat st {};
  std::string ignored;
  if (::stat(file.c_str(), &st) != 0) return false;
  const auto contents = readWholeFile(file, static_cast<std::size_t>(st.st_size), ignored);
  NewFile copy(version, st.st_mode & 0777);
  return contents && copy.fd() >= 0 && copy.writeAt(contents->data(), std::ssize(*contents), 0) &&
         copy.holds(*contents) && copy.putInPlace();
}

/// FILE becomes FILE~1 as well, FILE~1 becomes FILE~2 … Older versions move up only once the newest is safe.
void keepVersion(const fs::path& file, int versions) {
  const auto version = [&](int n) { return fs::path(file.string() + "~" + std::to_string(n)); };
  const fs::path fresh = freshName(file);
  if (!alsoAs(fresh, file)) return;
  std::error_code ignored; // an old version that cannot be kept must not stop the save
  for (int n = versions - 1; n >= 1; --n) fs::rename(version(n), version(n + 1), ignored);
  fs::rename(fresh, version(1), ignored);
  if (ignored) fs::remove(fresh, ignored);
}

} // namespace

bool replaceFile(const fs::path& file, std::string_view contents, std::string& why, int keepVersions) {
  std::error_code ec;
  fs::path target = file;
  if (fs::is_symlink(file, ec)) { // what it points at is replaced, the link stays
    target = fs::weakly_canonical(file, ec);
    if (ec) {
      why = worded("cannot write %1: %2", file.string(), ec.message());
      return false;
    }
  }
  mode_t mode = 0644;
  struct stat st {};
  if (::stat(target.c_str(), &st) == 0) {
    mode = st.st_mode & 0777;
    if (!S_ISREG(st.st_mode)) {
      why = worded("%1 is %2, not a file, and is not overwritten", file.string(), worded(kindOf(st.st_mode)));
      return false;
    }
  }
  NewFile next(target, mode);
  const auto failed = [&] {
    why = worded("cannot write %1: %2", file.string(), systemWords(errno));
    return false;
  };
  if (next.fd() < 0 || !next.writeAt(contents.data(), static_cast<std::int64_t>(contents.size()), 0)) return failed();
  if (!next.holds(contents)) return failed();
  if (keepVersions > 0 && fs::exists(target, ec)) keepVersion(target, keepVersions);
  if (!next.putInPlace()) return failed();
  removeLeftovers({target});
  return true;
}

} // namespace ivrin
