// What the fuzz targets share.
#pragma once

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <string>
#include <string_view>
#include <sys/mman.h>
#include <unistd.h>

namespace ivrin::fuzz {

inline std::string_view textOf(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

/// What must hold for any bytes at all.
inline void must(bool holds) {
  if (!holds) std::abort();
}

/// Bytes as a file that has a path, in memory.
class InMemory {
 public:
  explicit InMemory(std::string_view bytes)
      : fd_(::memfd_create("fuzz", MFD_CLOEXEC)) {
    must(fd_ >= 0 && ::pwrite(fd_, bytes.data(), bytes.size(), 0) == static_cast<ssize_t>(bytes.size()));
  }
  ~InMemory() { ::close(fd_); }
  InMemory(const InMemory&) = delete;
  InMemory& operator=(const InMemory&) = delete;
  int fd() const { return fd_; }
  std::filesystem::path path() const { return "/proc/self/fd/" + std::to_string(fd_); }

 private:
  int fd_;
};

} // namespace ivrin::fuzz
