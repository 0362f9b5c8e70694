#include "document/document.h"

#include "song/edits.h"
#include "song/safe_file.h"
#include "song/song_check.h"
#include "song/targets.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;

Document::Document(Registry registry, fs::path journalFolder, std::function<void(const std::string&)> journalFailed)
    : registry_(std::make_shared<const Registry>(std::move(registry)))
    , journalFolder_(std::move(journalFolder)) {
  if (!journalFolder_.empty()) journal_ = std::make_unique<JournalWriter>(registry_, std::move(journalFailed));
}

void Document::adopt(Song song, AudioFolders folders, SongPlace place) {
  if (journal_) journal_->flush();
  journalPlace_.reset();
  history_ = History(std::move(song));
  instead_.reset();
  audioFolders_ = std::move(folders);
  if (!place.held && !place.readOnly && place.file == place_.file) place.held = std::move(place_.held);
  place_ = std::move(place);
  editsBefore_ = 0;
  if (!place_.file.empty() && place_.holds) history_.markSaved();
  IVRIN_CHECK(1, std::all_of(history_.song().stems.begin(), history_.song().stems.end(),
                             [](const Stem& s) { return !s.file || fs::path(*s.file).is_absolute(); }));
}

void Document::bringBack(Song song, std::unique_ptr<JournalPlace> journal, int edits) {
  journalPlace_ = std::move(journal);
  editsBefore_ = edits;
  history_.edit(worded("edits brought back"), {}, std::move(song));
  history_.settle();
  keepJournal();
}

std::string Document::whyNot(const Song& next) const {
  Problems problems;
  checkSong(next, *registry_, problems, &song());
  for (const Problem& p : problems.list)
    if (p.isError) return p.message;
  return {};
}

std::string Document::edit(std::string label, Song next, std::string mergeKey) {
  if (next == song()) return {};
  if (std::string why = whyNot(next); !why.empty()) return why;
  history_.edit(std::move(label), std::move(mergeKey), std::move(next));
  keepJournal();
  return {};
}

void Document::undo() {
  history_.undo();
  keepJournal();
}

void Document::redo() {
  history_.redo();
  keepJournal();
}

void Document::keepJournal() {
  if (!journal_) return;
  // One that cannot be had is asked for again at the next edit; the writer says so. Nothing is written without one: it
  // could be what another window left.
  if (!journalPlace_) journalPlace_ = JournalPlace::fresh(journalFolder_, place_.file);
  // The saved state too: after undoing everything there is nothing to bring back.
  journal_->write(journalPlace_ ? journalPlace_->file() : journalFolder_ / "",
                  {place_.file.string(), place_.savedText, {}, editsSinceSave()}, instead_ ? *instead_ : song());
}

void Document::keepInstead(std::optional<Song> song) {
  const bool was = instead_.has_value();
  instead_ = std::move(song);
  if (was && !instead_ && editsSinceSave() > 0) keepJournal();
}

Document::Saved Document::save(const fs::path& chosen) {
  const fs::path file = plainPath(chosen);
  const bool own = file == place_.file;
  if (own && place_.readOnly) return {worded("it is open in another window; save it under another name"), {}};
  const fs::path lock = lockOf(file);
  const bool held = lock == heldLock(); // its own file, by whatever name
  HeldFile::Taken taken;
  if (!own && !held) {
    taken = HeldFile::take(lock);
    if (taken.by) return {worded("%1 is open in another window", file.string()), {}};
  }
  // Its own file is a song; what else is chosen must be one, or not be there yet.
  if (std::string why = whyNotWritten(file, TargetKind::song, Sources(song())); !why.empty()) return {why, {}};
  Song saved = song();
  if (saved.title.empty()) saved.title = file.stem().string();
  const std::string text = writeSongFor(saved, *registry_, file.parent_path());
  std::string unread, why;
  Problems different;
  checkText(text, saved, *registry_, file.parent_path(), different);
  for (const Problem& p : different.list)
    if (p.isError) return {worded("it could not be opened again (%1)", p.text()), {}};
  const auto there = own ? readWholeFile(file, kMaxSongBytes, unread) : std::nullopt;
  if (!replaceFile(file, text, why, 3)) return {why, {}};
  history_.edit("title", {}, std::move(saved)); // only when it took the file's name
  history_.settle();
  history_.markSaved();
  forgetEdits();
  if (!own) {
    if (held) taken.held = std::move(place_.held);
    place_ = {file, {}, std::move(taken.held)};
  }
  const std::string before = std::exchange(place_.savedText, text);
  editsBefore_ = 0;
  audioFolders_.songFolder = file.parent_path();
  if (there && *there != before && *there != text)
    return {
        {},
        worded("the file had been changed by another program; that state is kept as %1~1", file.filename().string())};
  return {};
}

void Document::forgetEdits() {
  if (journal_ && journalPlace_) journal_->forget(journalPlace_->file());
  journalPlace_.reset();
}

std::string Document::pathFor(const fs::path& chosen) {
  std::string path = absolutePath(chosen.string(), {});
  if (fs::path(pathForSong(path, audioFolders_.songFolder)).is_absolute()) allow(fs::path(path).parent_path());
  return path;
}

} // namespace ivrin
