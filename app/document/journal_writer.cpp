#include "document/journal_writer.h"

#include "time/check.h"
#include "words/words.h"

namespace ivrin {

JournalWriter::JournalWriter(std::shared_ptr<const Registry> registry, std::function<void(const std::string&)> failed)
    : registry_(std::move(registry))
    , failed_(std::move(failed))
    , thread_([this](std::stop_token s) { run(s); }) {}

JournalWriter::~JournalWriter() {
  flush();
  thread_.request_stop();
  changed_.notify_all();
}

void JournalWriter::write(std::filesystem::path journalFile, Journal about, Song song) {
  {
    std::lock_guard lock(mutex_);
    wish_ = Wish{std::move(journalFile), std::move(about), std::move(song)};
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

/// Why it could not be kept, or nothing.
std::string JournalWriter::keep(Wish wish) const {
  if (!wish.journalFile.has_filename())
    return worded("the folder %1 cannot be written", wish.journalFile.parent_path().string());
  std::string why;
  try {
    wish.journal.song = writeSong(wish.song, *registry_);
    writeJournal(wish.journalFile, wish.journal, why);
  } catch (const std::exception& e) {
    why = e.what();
  }
  return why;
}

void JournalWriter::run(std::stop_token stop) {
  bool could = true;
  for (;;) {
    std::optional<Wish> wish;
    {
      std::unique_lock lock(mutex_);
      if (!changed_.wait(lock, stop, [&] { return wish_.has_value(); })) return;
      IVRIN_CHECK(1, !writing_);
      wish = std::exchange(wish_, std::nullopt);
      writing_ = true;
    }
    // The work goes on; saving says what is wrong too.
    const std::string why = keep(std::move(*wish));
    if (why.empty() != could && failed_) failed_(why);
    could = why.empty();
    {
      std::lock_guard lock(mutex_);
      writing_ = false;
    }
    changed_.notify_all();
  }
}

} // namespace ivrin
