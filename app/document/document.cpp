#include "document/document.h"

#include "files/safe_file.h"
#include "files/song_check.h"
#include "files/targets.h"
#include "song/edits.h"
#include "time/check.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

/// A song without a title takes its file's name.
Song titled(Song song, const fs::path& file) {
  if (song.title.empty()) song.title = file.stem().string();
  return song;
}

} // namespace

Document::Document(Registry registry, fs::path journalFolder, std::function<void(const std::string&)> journalFailed)
    : registry_(std::make_shared<const Registry>(std::move(registry)))
    , journalFolder_(std::move(journalFolder)) {
  if (!journalFolder_.empty()) journal_ = std::make_unique<JournalWriter>(registry_, std::move(journalFailed));
}

void Document::adopt(Song song, AudioFolders folders, SongPlace place) {
  if (journal_ && journalPlace_) journal_->release(std::move(journalPlace_));
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
  history_.edit(worded("recover edits"), {}, std::move(song));
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

Document::Saved Document::save(const fs::path& file) {
  const Saving s = beginSaving(file);
  return endSaving(s, write(s));
}

Document::Saving Document::beginSaving(const fs::path& chosen) {
  const fs::path file = plainPath(chosen);
  history_.beginSaving();
  return {song(), file, file == place_.file, place_.readOnly, heldLock(), registry_};
}

Document::Written Document::write(const Saving& s) {
  Written w;
  if (s.own && s.readOnly) {
    w.why = worded("it is open in another window. Save it under another name");
    return w;
  }
  const fs::path lock = lockOf(s.file);
  w.held = lock == s.lock; // its own file, by whatever name
  if (!s.own && !w.held) {
    w.taken = HeldFile::take(lock);
    if (w.taken.by) w.why = worded("%1 is open in another window", s.file.string());
  }
  // Its own file is a song; what else is chosen must be one, or not be there yet.
  if (w.why.empty()) w.why = whyNotWritten(s.file, TargetKind::song, Sources(s.song));
  if (!w.why.empty()) return w;
  const Song saved = titled(s.song, s.file);
  w.text = writeSongFor(saved, *s.registry, s.file.parent_path());
  Problems different;
  checkText(w.text, saved, *s.registry, s.file.parent_path(), different);
  for (const Problem& p : different.list)
    if (p.isError) {
      w.why = worded("it could not be opened again (%1)", p.text());
      return w;
    }
  std::string unread;
  if (s.own) w.there = readWholeFile(s.file, kMaxSongBytes, unread);
  replaceFile(s.file, w.text, w.why, 3);
  return w;
}

Document::Saved Document::endSaving(const Saving& s, Written w) {
  if (!w.why.empty()) return {w.why, {}};
  const bool edited = !(song() == s.song); // while it was written
  history_.endSaving();
  if (Song named = titled(song(), s.file); !(named == song())) { // it took the file's name
    history_.edit("title", {}, std::move(named));
    history_.settle();
    if (!edited) history_.markSaved();
  }
  if (!edited || !s.own) forgetEdits();
  if (!s.own) {
    if (w.held) w.taken.held = std::move(place_.held);
    place_ = {s.file, {}, std::move(w.taken.held)};
  }
  const std::string before = std::exchange(place_.savedText, w.text);
  editsBefore_ = 0;
  audioFolders_.songFolder = s.file.parent_path();
  if (edited) keepJournal();
  if (w.there && *w.there != before && *w.there != w.text)
    return {{},
            worded("Another program had changed the file; its version is kept as %1~1", s.file.filename().string())};
  return {};
}

void Document::forgetEdits() {
  if (journal_ && journalPlace_) journal_->forget(std::move(journalPlace_));
  journalPlace_.reset();
}

std::string Document::pathFor(const fs::path& chosen) {
  std::string path = absolutePath(chosen.string(), {});
  if (fs::path(pathForSong(path, audioFolders_.songFolder)).is_absolute()) allow(fs::path(path).parent_path());
  return path;
}

} // namespace ivrin
