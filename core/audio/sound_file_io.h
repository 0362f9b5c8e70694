// A file as libsndfile reads and writes it. Neither decoders nor encoders tell of every call of the system that failed:
// the first one is remembered.
#pragma once

#include "files/safe_file.h"

#include <sndfile.h>

#include <filesystem>
#include <string>

namespace ivrin {

class SoundFileIo {
 public:
  /// To be read. Some bytes of it, from `patchAt` on, may be read as others: libsndfile takes a length of 0 at its
  /// word, where programs that write to a stream did not know it yet.
  explicit SoundFileIo(const std::filesystem::path& file, std::int64_t patchAt = 0, std::string patch = {});
  /// To be written, and read back. `file` must outlive it.
  explicit SoundFileIo(const NewFile& file);
  ~SoundFileIo();
  SoundFileIo(const SoundFileIo&) = delete;
  SoundFileIo& operator=(const SoundFileIo&) = delete;

  /// From its begin; `mode` SFM_READ or SFM_WRITE. None where it cannot be opened.
  SNDFILE* open(int mode, SF_INFO& info);
  /// errno of the first call that failed; 0: none did.
  int error() const { return error_; }

 private:
  static SoundFileIo& of(void* self) { return *static_cast<SoundFileIo*>(self); }
  static sf_count_t length(void* self) { return of(self).length_; }
  static sf_count_t tell(void* self) { return of(self).at_; }
  static sf_count_t seek(sf_count_t offset, int whence, void* self);
  static sf_count_t read(void* to, sf_count_t bytes, void* self);
  static sf_count_t write(const void* from, sf_count_t bytes, void* self);

  const NewFile* target_ = nullptr; // none: only read
  int fd_ = -1, error_ = 0;
  sf_count_t length_ = 0, at_ = 0, patchAt_ = 0;
  std::string patch_;
};

} // namespace ivrin
