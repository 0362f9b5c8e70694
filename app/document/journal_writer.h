// Writes the journal off the window's thread; only the newest state counts.
//
// Invariants:
//  1. One journal is written at a time, by the writer's own thread; what was wished while it wrote comes next.
//  2. After flush(), and so when a journal is removed, nothing is being written or waits to be: a journal that was
//     forgotten does not come back.
#pragma once

#include "song/journal.h"

#include <condition_variable>
#include <filesystem>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

namespace ivrin {

class JournalWriter {
 public:
  /// `failed` is called on the writer's thread with why a journal could not be written: once, and with nothing when one
  /// can be again.
  JournalWriter(std::shared_ptr<const Registry> registry, std::function<void(const std::string&)> failed);
  ~JournalWriter(); // writes what is still waiting
  /// `about`: all of the journal but its song. A folder instead of a file is one in which there can be no journal.
  void write(std::filesystem::path journalFile, Journal about, Song song);
  /// The song was saved: its journal is no longer needed.
  void forget(const std::filesystem::path& journalFile);
  /// Waits until all is on the disk.
  void flush();

 private:
  struct Wish {
    std::filesystem::path journalFile;
    Journal journal;
    Song song;
  };
  void run(std::stop_token stop);
  std::string keep(Wish wish) const;
  const std::shared_ptr<const Registry> registry_;
  const std::function<void(const std::string&)> failed_;
  std::mutex mutex_;
  std::condition_variable_any changed_;
  std::optional<Wish> wish_;
  bool writing_ = false;
  std::jthread thread_;
};

} // namespace ivrin
