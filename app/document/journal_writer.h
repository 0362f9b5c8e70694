// Writes the journal off the window's thread; only the newest state counts.
//
// Invariants:
//  1. One journal is written at a time, by the writer's own thread, in the order in which it was wished.
//  2. A journal that was forgotten does not come back: what still waited to be written of it is dropped.
//  3. The place of a journal is given up after the last thing that was wished of it.
//  4. After flush() nothing is being written or waits to be.
#pragma once

#include "files/journal.h"

#include <condition_variable>
#include <deque>
#include <filesystem>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>
#include <variant>

namespace ivrin {

class JournalWriter {
 public:
  /// `failed` is called on the writer's thread with why a journal could not be written: once, and with nothing when one
  /// can be again.
  JournalWriter(std::shared_ptr<const Registry> registry, std::function<void(const std::string&)> failed);
  ~JournalWriter(); // writes what is still waiting
  /// `about`: all of the journal but its song. A folder instead of a file is one in which there can be no journal.
  void write(std::filesystem::path journalFile, Journal about, Song song);
  /// The song was saved, or its edits are not wanted: the journal goes.
  void forget(std::unique_ptr<JournalPlace> place);
  /// Another song is open: the journal stays as it is wished now, and nobody holds it any more.
  void release(std::unique_ptr<JournalPlace> place);
  /// Waits until all is on the disk.
  void flush();

 private:
  struct Write {
    std::filesystem::path journalFile;
    Journal journal;
    Song song;
  };
  struct GiveUp {
    std::unique_ptr<JournalPlace> place;
    bool forgotten;
  };
  using Wish = std::variant<Write, GiveUp>;
  void wish(Wish w);
  void dropWrites(const std::filesystem::path& journalFile);
  void run(std::stop_token stop);
  std::string keep(Write w) const;
  const std::shared_ptr<const Registry> registry_;
  const std::function<void(const std::string&)> failed_;
  std::mutex mutex_;
  std::condition_variable_any changed_;
  std::deque<Wish> wishes_;
  bool writing_ = false;
  std::jthread thread_;
};

} // namespace ivrin
