#include "song/safe_file.h"

#include <atomic>
#include <cerrno>
#include <charconv>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {
namespace fs = std::filesystem;

std::optional<std::string> readWholeFile(const fs::path& file, std::size_t maxBytes, std::string& why) {
  // O_NONBLOCK: a named pipe must not hang the reader; it is refused below.
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (fd < 0) {
    why = "cannot open " + file.string() + ": " + std::strerror(errno);
    return std::nullopt;
  }
  struct stat st {};
  if (::fstat(fd, &st) != 0 || !S_ISREG(st.st_mode) || static_cast<std::size_t>(st.st_size) > maxBytes) {
    why = S_ISREG(st.st_mode) ? file.string() + " is larger than " + std::to_string(maxBytes >> 20) + " MiB"
                              : file.string() + " is not a file";
    ::close(fd);
    return std::nullopt;
  }
  std::string text(static_cast<std::size_t>(st.st_size), '\0');
  std::size_t got = 0;
  while (got < text.size()) {
    const ssize_t n = ::read(fd, text.data() + got, text.size() - got);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) {
      why = "cannot read " + file.string() + ": " + std::strerror(errno);
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

} // namespace

NewFile openBeside(const fs::path& target, unsigned mode) {
  static std::atomic<unsigned> serial{0};
  for (int attempt = 0; attempt < 100; ++attempt) {
    NewFile made{-1, target.string() + kNew + std::to_string(::getpid()) + "-" + std::to_string(serial++)};
    made.fd = ::open(made.path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
    if (made.fd >= 0 || errno != EEXIST) return made;
  }
  return {};
}

void removeLeftovers(const fs::path& target) {
  // One of a process that lives, here or on another machine that shares the folder, is younger than a minute.
  const std::string prefix = target.filename().string() + kNew;
  std::error_code ignored;
  for (auto it = fs::directory_iterator(folderOf(target), ignored); it != fs::directory_iterator();
       it.increment(ignored)) {
    const std::string name = it->path().filename().string();
    if (name.compare(0, prefix.size(), prefix) != 0) continue;
    const int process = processOf(std::string_view(name).substr(prefix.size()));
    if (process == 0 || ::kill(process, 0) == 0) continue;
    const auto written = fs::last_write_time(it->path(), ignored);
    if (!ignored && fs::file_time_type::clock::now() - written > std::chrono::minutes(1))
      fs::remove(it->path(), ignored);
  }
}

bool replaceFile(const fs::path& file, std::string_view contents, std::string& why, int keepVersions) {
  std::error_code ec;
  fs::path target = file;
  if (fs::is_symlink(file, ec)) { // what it points at is replaced, the link stays
    target = fs::weakly_canonical(file, ec);
    if (ec) {
      why = "cannot write " + file.string() + ": " + ec.message();
      return false;
    }
  }
  mode_t mode = 0644;
  struct stat st {};
  if (::stat(target.c_str(), &st) == 0) {
    mode = st.st_mode & 0777;
    if (!S_ISREG(st.st_mode)) {
      why = file.string() + " is not a file; nothing is written over it";
      return false;
    }
  }
  const auto [fd, temp] = openBeside(target, mode);
  const auto failed = [&why, &file, &temp = temp](const char* what) {
    why = std::string(what) + " " + file.string() + ": " + std::strerror(errno);
    if (!temp.empty()) ::unlink(temp.c_str());
    return false;
  };
  if (fd < 0) return failed("cannot write");
  std::size_t done = 0;
  while (done < contents.size()) {
    const ssize_t n = ::write(fd, contents.data() + done, contents.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) {
      ::close(fd);
      return failed("cannot write");
    }
    done += static_cast<std::size_t>(n);
  }
  if (::fsync(fd) != 0) {
    ::close(fd);
    return failed("cannot write");
  }
  if (::close(fd) != 0) return failed("cannot write");
  if (keepVersions > 0 && fs::exists(target, ec)) {
    const auto version = [&](int n) { return fs::path(target.string() + "~" + std::to_string(n)); };
    std::error_code ignored; // an old version that cannot be kept must not stop the save
    for (int n = keepVersions - 1; n >= 1; --n) fs::rename(version(n), version(n + 1), ignored);
    fs::remove(version(1), ignored);
    fs::create_hard_link(target, version(1), ignored);
  }
  if (::rename(temp.c_str(), target.c_str()) != 0) return failed("cannot replace");
  const fs::path folder = folderOf(target);
  if (const int dir = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); dir >= 0) {
    ::fsync(dir);
    ::close(dir);
  }
  removeLeftovers(target);
  return true;
}

} // namespace ivrin
