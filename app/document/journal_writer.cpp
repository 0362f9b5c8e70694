#include "document/journal_writer.h"

#include "time/check.h"

namespace ivrin {

JournalWriter::JournalWriter(std::shared_ptr<const Registry> registry)
    : registry_(std::move(registry))
    , thread_([this](std::stop_token s) { run(s); }) {}

JournalWriter::~JournalWriter() {
  flush();
  thread_.request_stop();
  changed_.notify_all();
}

void JournalWriter::write(std::filesystem::path journalFile, std::string songFile, std::string base, Song song) {
  {
    std::lock_guard lock(mutex_);
    wish_ = Wish{std::move(journalFile), std::move(songFile), std::move(base), std::move(song)};
  }
  changed_.notify_all();
}

void JournalWriter::forget(const std::filesystem::path& journalFile) {
  flush();
  std::error_code ignored;
  std::filesystem::remove(journalFile, ignored);
}

void JournalWriter::flush() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return !wish_ && !writing_; });
  IVRIN_CHECK(2, !wish_ && !writing_);
}

void JournalWriter::run(std::stop_token stop) {
  for (;;) {
    std::optional<Wish> wish;
    {
      std::unique_lock lock(mutex_);
      if (!changed_.wait(lock, stop, [&] { return wish_.has_value(); })) return;
      IVRIN_CHECK(1, !writing_);
      wish = std::exchange(wish_, std::nullopt);
      writing_ = true;
    }
    std::string why; // a journal that cannot be written must not stop the work; saving will say what is wrong
    writeJournal(wish->journalFile, {wish->songFile, wish->base, writeSong(wish->song, *registry_)}, why);
    {
      std::lock_guard lock(mutex_);
      writing_ = false;
    }
    changed_.notify_all();
  }
}

} // namespace ivrin
