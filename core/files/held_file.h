// A file that says who works on something: held for as long as its object lives, and by one of all processes.
//
// The system's own lock (flock) tells a holder that lives from one that ended, however it ended. Where the file system
// knows no locks, or the holder is on another machine, the words in the file tell.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>

namespace ivrin {

struct Holder {
  std::string host;
  std::int64_t process = 0;
  bool onThisMachine() const;
};

class HeldFile {
 public:
  struct Taken;
  /// Takes it, unless somebody has it. It is made where it is not there; where it cannot be made, nobody has it.
  static Taken take(const std::filesystem::path& file);
  /// Whether somebody has it now.
  static bool isHeld(const std::filesystem::path& file);
  ~HeldFile(); // the file goes
  HeldFile(const HeldFile&) = delete;
  HeldFile& operator=(const HeldFile&) = delete;
  const std::filesystem::path& file() const { return file_; }

 private:
  HeldFile(std::filesystem::path file, int fd)
      : file_(std::move(file))
      , fd_(fd) {}
  std::filesystem::path file_;
  int fd_;
};

struct HeldFile::Taken {
  std::unique_ptr<HeldFile> held; // nothing: somebody has it, or it cannot be made
  std::optional<Holder> by;       // who has it
};

/// Where the lock of a song file lies: .NAME.lock beside where it really lies, whatever links lead there.
std::filesystem::path lockOf(const std::filesystem::path& songFile);

} // namespace ivrin
