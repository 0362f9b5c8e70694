// A file mapped read-only that stays readable whatever becomes of it.
//
// A page of a mapping that has no file under it any more (the file was cut short, the disk has gone) ends a process by
// SIGBUS. Here the fault puts a page of zeros in its place, and the mapping knows that it is damaged: silence, and no
// end. See docs/decisions/0006-files.md.
//
// Invariants:
//  1. The table of mappings that the signal's handler reads is written without a lock; an entry is published last and
//     withdrawn first.
//  2. A fault outside our mappings goes to who handled the signal before.
#pragma once

#include <cstddef>
#include <memory>

namespace ivrin {

class MappedFile {
 public:
  /// The first `bytes` of an open file; nothing (and errno) where that cannot be. `fd` may be closed afterwards. Read
  /// into memory where the file system cannot map.
  static std::unique_ptr<MappedFile> map(int fd, std::size_t bytes);
  ~MappedFile();
  MappedFile(const MappedFile&) = delete;
  MappedFile& operator=(const MappedFile&) = delete;

  const char* data() const { return data_; }
  std::size_t bytes() const { return bytes_; }
  /// A page was not there when it was read: zeros stand for it.
  bool damaged() const;

 private:
  MappedFile() = default;
  const char* data_ = nullptr;
  std::size_t bytes_ = 0;
  int entry_ = -1;
};

} // namespace ivrin
