#include "files/held_file.h"

#include "files/audio_folders.h"

#include <array>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <fcntl.h>
#include <string_view>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

std::string thisHost() {
  std::array<char, 256> name{};
  return ::gethostname(name.data(), name.size() - 1) == 0 ? std::string(name.data()) : std::string();
}

/// "HOST PROCESS"; a host of no name and process 0 where the file says nothing that can be read.
Holder wordsIn(int fd) {
  std::array<char, 512> text{};
  const ssize_t n = ::pread(fd, text.data(), text.size() - 1, 0);
  std::string_view s(text.data(), n > 0 ? static_cast<std::size_t>(n) : 0);
  const auto gap = s.rfind(' ');
  Holder h;
  if (gap == std::string_view::npos) return h;
  h.host = std::string(s.substr(0, gap));
  std::from_chars(s.data() + gap + 1, s.data() + s.size(), h.process);
  return h;
}

} // namespace

bool Holder::onThisMachine() const {
  return host == thisHost();
}

HeldFile::Taken HeldFile::take(const fs::path& file) {
  for (int attempt = 0; attempt < 10; ++attempt) {
    const int fd = ::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK, 0644);
    if (fd < 0) return {};
    struct stat opened {
    }, named{};
    const bool locked = ::flock(fd, LOCK_EX | LOCK_NB) == 0;
    const bool knowsLocks = locked || errno == EWOULDBLOCK;
    Holder is = wordsIn(fd);
    if (!locked && knowsLocks) {
      ::close(fd);
      return {nullptr, std::move(is)};
    }
    // Its holder may have let it go, and somebody else have made another, between the two calls.
    if (::fstat(fd, &opened) != 0 || ::stat(file.c_str(), &named) != 0 || opened.st_ino != named.st_ino) {
      ::close(fd);
      continue;
    }
    const bool elsewhere = !is.host.empty() && !is.onThisMachine();
    const bool lives = !knowsLocks && is.process > 0 && is.process != ::getpid() &&
                       (::kill(static_cast<pid_t>(is.process), 0) == 0 || errno == EPERM);
    if (elsewhere || lives) {
      ::close(fd);
      return {nullptr, std::move(is)};
    }
    const std::string words = thisHost() + ' ' + std::to_string(::getpid());
    if (::ftruncate(fd, 0) != 0 ||
        ::pwrite(fd, words.data(), words.size(), 0) < 0) { // held all the same, without a name
    }
    return {std::unique_ptr<HeldFile>(new HeldFile(file, fd)), std::nullopt};
  }
  return {};
}

bool HeldFile::isHeld(const fs::path& file) {
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
  if (fd < 0) return false;
  const bool held = ::flock(fd, LOCK_SH | LOCK_NB) != 0 && errno == EWOULDBLOCK;
  ::close(fd);
  return held;
}

HeldFile::~HeldFile() {
  ::unlink(file_.c_str()); // while it is still ours
  ::close(fd_);
}

fs::path lockOf(const fs::path& songFile) {
  const fs::path real = realPath(songFile);
  return real.parent_path() / ("." + real.filename().string() + ".lock");
}

} // namespace ivrin
