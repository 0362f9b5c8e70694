#include "document/document.h"

#include "song/edits.h"
#include "song/safe_file.h"
#include "song/targets.h"
#include "time/check.h"

#include <algorithm>

namespace ivrin {
namespace fs = std::filesystem;

Document::Document(Registry registry, fs::path journalFolder)
    : registry_(std::make_shared<const Registry>(std::move(registry)))
    , journalFolder_(std::move(journalFolder)) {
  if (!journalFolder_.empty()) journal_ = std::make_unique<JournalWriter>(registry_);
}

void Document::adopt(Song song, Reach reach, fs::path file, std::string savedText) {
  history_ = History(std::move(song));
  reach_ = std::move(reach);
  file_ = std::move(file);
  savedText_ = std::move(savedText);
  if (!file_.empty()) history_.markSaved();
  IVRIN_CHECK(1, std::all_of(history_.song().stems.begin(), history_.song().stems.end(),
                             [](const Stem& s) { return !s.file || fs::path(*s.file).is_absolute(); }));
}

bool Document::edit(std::string label, Song next, std::string mergeKey) {
  if (next == song()) return false;
  history_.edit(std::move(label), std::move(mergeKey), std::move(next));
  keepJournal();
  return true;
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
  // The saved state too: after undoing everything there is nothing to bring back.
  if (journal_) journal_->write(journalFor(journalFolder_, file_), file_.string(), savedText_, song());
}

std::string Document::save(const fs::path& chosen) {
  const fs::path file = plainPath(chosen);
  // Its own file is a song; what else is chosen must be one, or not be there yet.
  if (std::string why = whyNotWritten(file, TargetKind::song, Sources(song())); !why.empty()) return why;
  Song saved = song();
  if (saved.title.empty()) saved.title = file.stem().string();
  const std::string text = writeSongFor(saved, *registry_, file.parent_path());
  std::string why;
  if (!replaceFile(file, text, why, 3)) return why;
  const fs::path before = std::exchange(file_, file);
  history_.edit("title", {}, std::move(saved)); // only when it took the file's name
  history_.settle();
  history_.markSaved();
  reach_.songFolder = file.parent_path();
  savedText_ = text;
  if (journal_) journal_->forget(journalFor(journalFolder_, before));
  return {};
}

void Document::forgetEdits() {
  if (journal_) journal_->forget(journalFor(journalFolder_, file_));
}

std::string Document::pathFor(const fs::path& chosen) {
  std::string path = absolutePath(chosen.string(), {});
  if (fs::path(pathForSong(path, reach_.songFolder)).is_absolute())
    reach_.allowed.push_back(fs::path(path).parent_path());
  return path;
}

} // namespace ivrin
