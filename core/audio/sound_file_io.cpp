#include "audio/sound_file_io.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ivrin {

SoundFileIo::SoundFileIo(const std::filesystem::path& file, std::int64_t patchAt, std::string patch)
    : fd_(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK))
    , patchAt_(patchAt)
    , patch_(std::move(patch)) {
  struct stat st {};
  if (fd_ < 0 || ::fstat(fd_, &st) != 0)
    error_ = errno;
  else
    length_ = st.st_size;
}

SoundFileIo::SoundFileIo(const NewFile& file)
    : target_(&file)
    , fd_(file.fd()) {}

SoundFileIo::~SoundFileIo() {
  if (!target_ && fd_ >= 0) ::close(fd_);
}

SNDFILE* SoundFileIo::open(int mode, SF_INFO& info) {
  if (!target_ && error_ != 0) return nullptr;
  at_ = 0;
  SF_VIRTUAL_IO io{&SoundFileIo::length, &SoundFileIo::seek, &SoundFileIo::read, &SoundFileIo::write,
                   &SoundFileIo::tell};
  return sf_open_virtual(&io, mode, &info, this);
}

sf_count_t SoundFileIo::seek(sf_count_t offset, int whence, void* self) {
  SoundFileIo& f = of(self);
  const sf_count_t to = offset + (whence == SEEK_CUR ? f.at_ : whence == SEEK_END ? f.length_ : 0);
  return f.at_ = f.target_ ? std::max<sf_count_t>(to, 0) : std::clamp<sf_count_t>(to, 0, f.length_);
}

sf_count_t SoundFileIo::read(void* to, sf_count_t bytes, void* self) {
  SoundFileIo& f = of(self);
  sf_count_t got = 0;
  while (got < bytes) {
    const ssize_t n = ::pread(f.fd_, static_cast<char*>(to) + got, static_cast<std::size_t>(bytes - got), f.at_ + got);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0 && f.error_ == 0) f.error_ = errno;
    if (n <= 0) break;
    got += n;
  }
  for (std::size_t i = 0; i < f.patch_.size(); ++i)
    if (const sf_count_t place = f.patchAt_ + static_cast<sf_count_t>(i) - f.at_; place >= 0 && place < got)
      static_cast<char*>(to)[place] = f.patch_[i];
  f.at_ += got;
  return got;
}

sf_count_t SoundFileIo::write(const void* from, sf_count_t bytes, void* self) {
  SoundFileIo& f = of(self);
  if (!f.target_) return 0;
  if (!f.target_->writeAt(from, bytes, f.at_)) {
    if (f.error_ == 0) f.error_ = errno;
    return 0;
  }
  f.at_ += bytes;
  f.length_ = std::max(f.length_, f.at_);
  return bytes;
}

} // namespace ivrin
