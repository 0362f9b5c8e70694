// A disk that is full after so many bytes of a file, as RLIMIT_FSIZE has it; for this process, until it goes.
#pragma once

#include <csignal>
#include <sys/resource.h>

namespace ivrin::test {

class FullDisk {
 public:
  explicit FullDisk(rlim_t bytes) {
    ::signal(SIGXFSZ, SIG_IGN); // writing fails instead
    ::getrlimit(RLIMIT_FSIZE, &before_);
    const rlimit now{bytes, before_.rlim_max};
    ::setrlimit(RLIMIT_FSIZE, &now);
  }
  ~FullDisk() { ::setrlimit(RLIMIT_FSIZE, &before_); }
  FullDisk(const FullDisk&) = delete;
  FullDisk& operator=(const FullDisk&) = delete;

 private:
  rlimit before_{};
};

} // namespace ivrin::test
