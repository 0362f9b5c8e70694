#include "document/journal_writer.h"

#include "time/check.h"
#include "words/words.h"

#include <algorithm>
#include <optional>

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

void JournalWriter::wish(Wish w) {
  {
    std::lock_guard lock(mutex_);
    if (const auto* write = std::get_if<Write>(&w)) dropWrites(write->journalFile);
    if (const auto* up = std::get_if<GiveUp>(&w); up && up->forgotten) dropWrites(up->place->file());
    wishes_.push_back(std::move(w));
  }
  changed_.notify_all();
}

/// What waits to be written of a journal counts no more.
void JournalWriter::dropWrites(const std::filesystem::path& journalFile) {
  std::erase_if(wishes_, [&](const Wish& w) {
    const auto* write = std::get_if<Write>(&w);
    return write && write->journalFile == journalFile;
  });
}

void JournalWriter::write(std::filesystem::path journalFile, Journal about, Song song) {
  wish(Write{std::move(journalFile), std::move(about), std::move(song)});
}

void JournalWriter::forget(std::unique_ptr<JournalPlace> place) {
  wish(GiveUp{std::move(place), true});
}

void JournalWriter::release(std::unique_ptr<JournalPlace> place) {
  wish(GiveUp{std::move(place), false});
}

void JournalWriter::flush() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return wishes_.empty() && !writing_; });
  IVRIN_CHECK(4, wishes_.empty() && !writing_);
}

/// Why it could not be kept, or nothing.
std::string JournalWriter::keep(Write w) const {
  if (!w.journalFile.has_filename())
    return worded("the folder %1 cannot be written to", w.journalFile.parent_path().string());
  std::string why;
  try {
    w.journal.song = writeSong(w.song, *registry_);
    writeJournal(w.journalFile, w.journal, why);
  } catch (const std::exception& e) {
    why = inWords(e);
  }
  return why;
}

void JournalWriter::run(std::stop_token stop) {
  bool could = true;
  for (;;) {
    std::optional<Wish> next;
    {
      std::unique_lock lock(mutex_);
      if (!changed_.wait(lock, stop, [&] { return !wishes_.empty(); })) return;
      IVRIN_CHECK(1, !writing_);
      next = std::move(wishes_.front());
      wishes_.pop_front();
      writing_ = true;
    }
    if (auto* write = std::get_if<Write>(&*next)) {
      // The work goes on; saving says what is wrong too.
      const std::string why = keep(std::move(*write));
      if (why.empty() != could && failed_) failed_(why);
      could = why.empty();
    } else if (auto& up = std::get<GiveUp>(*next); up.forgotten) {
      std::error_code ignored;
      std::filesystem::remove(up.place->file(), ignored);
    }
    next.reset(); // a place that is given up is free from here on
    {
      std::lock_guard lock(mutex_);
      writing_ = false;
    }
    changed_.notify_all();
  }
}

} // namespace ivrin
