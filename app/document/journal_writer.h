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
#include <memory>
#include <mutex>
#include <optional>
#include <thread>

namespace ivrin {

class JournalWriter {
 public:
  explicit JournalWriter(std::shared_ptr<const Registry> registry);
  ~JournalWriter(); // writes what is still waiting
  void write(std::filesystem::path journalFile, std::string songFile, std::string base, Song song);
  /// The song was saved: its journal is no longer needed.
  void forget(const std::filesystem::path& journalFile);
  /// Waits until all is on the disk (tests).
  void flush();

 private:
  struct Wish {
    std::filesystem::path journalFile;
    std::string songFile, base;
    Song song;
  };
  void run(std::stop_token stop);
  const std::shared_ptr<const Registry> registry_;
  std::mutex mutex_;
  std::condition_variable_any changed_;
  std::optional<Wish> wish_;
  bool writing_ = false;
  std::jthread thread_;
};

} // namespace ivrin
