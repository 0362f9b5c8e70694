// What a session does with files: opening, saving, what was left of songs, their sound, exporting.
#include "app/session/session.h"

#include "app/session/as_text.h"
#include "app/session/grid_words.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
Progress Session::reportImport(const Run& run) {
  return [this, report = run.report](std::int64_t done, std::int64_t total) {
    report([this, f = static_cast<double>(done) / static_cast<double>(std::max<std::int64_t>(total, 1))] {
      emit progress(tr("Bringing in stems"), std::min(f, 0.999));
    });
  };
}

// ---------------------------------------------------------------- opening

Places Session::places() const {
  return {options_.journalFolder, options_.reach, document_.heldLock()};
}

void Session::open(const fs::path& file, const OpenAs& as) {
  OpenInput in{{file}, false, std::nullopt, places()};
  in.places.readOnly = as.readOnly;
  in.places.asSaved = as.asSaved;
  in.places.bringBack = as.bringBack;
  beginOpening(std::move(in));
}

void Session::begin(const std::vector<fs::path>& files, std::optional<double> bpm) {
  beginOpening({files, true, bpm});
}

void Session::beginOpening(OpenInput in) {
  leaving_ = song();
  openJob_.begin(std::move(in));
}

/// It has arrived. Edits that were made while it was on its way are asked about, once nothing else is being dealt with.
void Session::takeOpened(OpenedDocument d) {
  emit progress({}, 1);
  const bool edited = isOpen() && history().changedSinceSave() && !(song() == leaving_);
  if (!d.opened || !edited || !mayReplace_) {
    takeArrived(std::move(d));
    return;
  }
  arrived_ = std::move(d);
  QTimer::singleShot(0, this, [this] {
    std::optional<OpenedDocument> one = std::exchange(arrived_, std::nullopt);
    if (one && mayReplace_()) takeArrived(std::move(*one));
  });
}

void Session::takeArrived(OpenedDocument d) {
  if (d.heldBy) {
    const Holder& h = *d.heldBy;
    const QString who = h.host.empty()      ? tr("another window")
                        : h.onThisMachine() ? tr("another window, process %1").arg(h.process)
                                            : tr("a window on %1, process %2").arg(asText(h.host)).arg(h.process);
    emit openElsewhere(asText(d.place.file.string()), who);
    return;
  }
  // What was left of this song is known anew; of songs without a file it stays as it was.
  std::erase_if(left_, [](const LeftEdits& l) { return !l.file.empty(); });
  if (d.journal) std::erase_if(left_, [&](const LeftEdits& l) { return l.journal == d.journal->file(); });
  left_.insert(left_.begin(), d.left.begin(), d.left.end());
  const bool offered = !d.left.empty();
  const Problems journals = std::move(d.journals);
  if (d.opened) {
    adopt(std::move(d));
  } else {
    const QString why = d.problems.list.empty() ? QString() : asText(d.problems.list.front().text());
    const QString name = asText(d.place.file.filename().string());
    emit notice(!name.isEmpty() ? tr("%1 cannot be opened. %2").arg(name, why)
                : why.isEmpty() ? tr("There is no audio in that.")
                                : why,
                true);
  }
  if (offered) emit leftOffered();
  for (const Problem& p : journals.list) emit notice(asText(p.message), true);
}

namespace {

QString wordsOf(const FoundGrid& grid) {
  if (grid.curve)
    return Session::tr("Not played to a click: %1 follow it, bar 1 at %2 s.")
        .arg(tempiWords(tempiOf(*grid.curve)), QString::number(grid.curve->beats.front(), 'f', 2));
  if (!grid.tempo || grid.tempo->confidence < kLeastConfidence)
    return Session::tr("No tempo can be told from the sound: set it by hand (Song, Tempo).");
  const bool key = grid.key && grid.key->confidence >= kLeastConfidence;
  return (key ? Session::tr("%1 BPM found, bar 1 at %2 s, %3. Half or double of what you feel: Song, Tempo.")
                    .arg(QString::number(grid.tempo->bpm), QString::number(grid.tempo->barOneSeconds, 'f', 2),
                         asText(keyText(grid.key->key)))
              : Session::tr("%1 BPM found, bar 1 at %2 s. Half or double of what you feel: Song, Tempo.")
                    .arg(QString::number(grid.tempo->bpm), QString::number(grid.tempo->barOneSeconds, 'f', 2)));
}

} // namespace

void Session::adopt(OpenedDocument d) {
  if (playback_.begun()) player().stop();
  // What is under way belongs to the song that was open.
  audioJob_.cancel();
  verifyJob_.cancel();
  lookJob_.cancel();
  spectraJob_.cancel();
  addJob_.cancel();
  gridJob_.cancel();
  midiJob_.cancel();
  reexportJob_.cancel();
  offeredAnew_.clear();
  openingsJob_.cancel();
  sectionsJob_.cancel();
  openings_.reset();
  sections_.reset();
  findJob_.cancel();
  placeJob_.cancel();
  recipeJob_.cancel();
  peaksJob_.cancel();
  factsJob_.cancel();
  document_.adopt(std::move(d.opened->song), d.opened->folders, std::move(d.place));
  audio_ = std::move(d.opened->audio);
  rowProblems_.clear();
  found_.clear();
  rowPeaks_.clear();
  facts_.reset();
  spectra_.reset();
  chosen_.clear();
  plan_.reset();
  cache_ = std::make_shared<PrintCache>(PrintCache::Budget(), chunks_); // nothing of the former song is kept
  takeProblems(d.problems);
  for (const std::string& row : song().rowsInScoreOrder()) wanted_.insert(row);
  if (const auto news = playback_.begin(song().sampleRate)) tell(*news);
  watchDevices();
  compareChosen();
  replan();
  verifyTimer_.start();
  watchStems();
  tidyJob_.begin(0);
  emit opened();
  if (d.grid) {
    emit notice(d.gridFrom.empty() ? wordsOf(*d.grid) : tr("Tempo and meter are those of %1.").arg(asText(d.gridFrom)),
                false);
    if (hasTempo(*d.grid) || !d.gridFrom.empty()) lookForSections();
  }
  if (d.apart)
    emit offered(tr("The stems lie where their files say, which is not one place."), tr("all from the start"), [this] {
      Song together = song();
      for (Stem& s : together.stems) s.offsetSeconds = 0;
      edit(tr("all stems from the start"), std::move(together));
      settle();
    });
  // What is out of reach can be allowed; the rest is told.
  QString unreachable, first;
  int errors = 0;
  for (const Problem& p : d.problems.list) {
    if (!p.isError) continue;
    if (errors++ == 0) first = asText(p.message);
    const Stem* s = stemAtPlace(song(), p.place);
    if (p.id != ErrorId::out_of_reach || !s || !s->file) continue;
    std::error_code ec; // a loop of links leads nowhere
    const fs::path where = fs::weakly_canonical(*s->file, ec);
    if (!ec) unreachable = asText(where.parent_path().string());
  }
  if (!unreachable.isEmpty())
    emit outOfReach(unreachable);
  else if (!missingStems().empty())
    emit stemsMissing(errors == 1 ? first : tr("%1 (and %2 more)").arg(first).arg(errors - 1));
  else if (errors > 0)
    emit notice(errors == 1 ? first : tr("%1 (and %2 more)").arg(first).arg(errors - 1), true);
  if (readOnly())
    emit notice(tr("Read only: another window has this song. Edits can be saved under another name."), false);
  if (d.broughtBack && d.journal) {
    document_.bringBack(std::move(*d.broughtBack), std::move(d.journal), d.edits);
    songEdited();
    emit recovered();
  }
}

bool Session::save(const fs::path& file) {
  const Document::Saved saved = document_.save(file);
  if (!saved.why.empty()) {
    emit notice(tr("The song was not saved: %1").arg(asText(saved.why)), true);
    return false;
  }
  keepInReach();
  emit songChanged();
  if (!saved.note.empty()) emit notice(tr("Saved; %1.").arg(asText(saved.note)), false);
  return true;
}

/// Saved into another folder, the song keeps the stems that it had: where they lie is allowed to it from now on.
void Session::keepInReach() {
  const fs::path folder = plainPath(fs::absolute(file())).parent_path();
  const auto missing = missingStems();
  std::set<fs::path> outside;
  for (const Stem& s : song().stems) {
    if (!s.file || std::find(missing.begin(), missing.end(), s.id) != missing.end()) continue;
    const fs::path where = plainPath(folder / *s.file).parent_path();
    const auto apart = std::mismatch(folder.begin(), folder.end(), where.begin(), where.end()).first;
    if (apart != folder.end()) outside.insert(where);
  }
  for (const fs::path& where : outside) {
    if (std::find(options_.reach.begin(), options_.reach.end(), where) != options_.reach.end()) continue;
    options_.reach.push_back(where);
    emit folderAllowed(asText(where.string()));
  }
}

/// What of the song lies there is brought in; nothing else about it changes.
void Session::allowFolder(const fs::path& folder) {
  options_.reach.push_back(folder);
  document_.allow(folder);
  if (!isOpen()) return;
  SongAudio known = audio_;
  for (const std::string& id : missingStems()) known.drop(id);
  audioJob_.begin({song(), document_.audioFolders(), std::move(known)});
}

std::string Session::pathFor(const fs::path& chosen) {
  options_.reach.push_back(plainPath(chosen).parent_path());
  return document_.pathFor(chosen);
}

// ---------------------------------------------------------------- what was left

void Session::lookForLeft() {
  if (!options_.journalFolder.empty()) leftJob_.begin(options_.journalFolder);
}

void Session::bringBack(const LeftEdits& one) {
  std::error_code gone;
  if (!one.file.empty() && fs::exists(one.file, gone)) {
    open(one.file, OpenAs{false, false, one.journal});
    return;
  }
  OpenInput in{{}, false, std::nullopt, places()};
  in.left = one.journal;
  beginOpening(std::move(in));
}

void Session::letGo(const LeftEdits& one) {
  ivrin::letGo(one.journal);
  std::erase_if(left_, [journal = one.journal](const LeftEdits& l) { return l.journal == journal; });
}

void Session::discardRecovered() {
  forgetEdits();
  open(file());
}

void Session::forgetEdits() {
  document_.forgetEdits();
}

// ---------------------------------------------------------------- sound

QString Session::rowProblem(const std::string& row) const {
  const auto it = rowProblems_.find(row);
  return it == rowProblems_.end() ? QString() : it->second;
}

void Session::takeProblems(const Problems& problems) {
  for (const Problem& p : problems.list)
    if (const Stem* s = p.isError ? stemAtPlace(song(), p.place) : nullptr) rowProblems_[s->id] = asText(p.message);
}

/// Stems and impulse responses that an edit brought in are opened apart; until then they are silent.
void Session::loadNewAudio() {
  if (!audio_.covers(song())) audioJob_.begin({song(), document_.audioFolders(), audio_});
}

void Session::takeAudio(AudioFound found) {
  emit progress({}, 1);
  const bool stems = !found.audio.sameStems(audio_);
  if (stems) {
    for (const Stem& s : song().stems)
      if (found.audio.of(s.id) != audio_.of(s.id)) rowProblems_.erase(s.id);
    plan_.reset(); // it was made with another sound
    for (const std::string& row : song().rowsInScoreOrder()) wanted_.insert(row);
  } else if (found.audio.impulses() == audio_.impulses()) {
    return;
  }
  audio_ = std::move(found.audio);
  takeProblems(found.problems);
  replan();
  verifyTimer_.start();
  for (const Problem& p : found.problems.list) emit notice(asText(p.text()), p.isError);
  if (stems) emit songChanged();
}

/// Once in a session, of every stem; apart, and after all that is waited for.
void Session::startVerifying() {
  SongAudio unverified = audio_;
  for (const auto& [id, stem] : audio_.all())
    if (verified_.contains(stem->digest())) unverified.drop(id);
  if (!unverified.all().empty()) verifyJob_.begin(std::move(unverified));
}

/// Of stems whose copy in the cache is not what was written: it is made anew. What was computed from it goes.
void Session::dropDamaged(const std::vector<std::string>& stems) {
  if (stems.empty() || !plan_) return;
  QStringList names;
  for (const std::string& id : stems) {
    if (const auto& audio = audio_.of(id)) {
      store_.forget(*audio);
      verified_.erase(audio->digest());
    }
    audio_.drop(id);
    names << asText(song().rowName(id));
  }
  cache_ = std::make_shared<PrintCache>(PrintCache::Budget(), chunks_);
  plan_.reset();
  replan();
  emit notice(
      tr("The copy of %1 in the cache was damaged; it is brought in anew.").arg(names.join(QStringLiteral(", "))),
      true);
}

bool Session::isMissing(const std::string& row) const {
  const Stem* s = song().stem(row);
  return s && s->file && !audio_.of(row);
}

std::vector<std::string> Session::missingStems() const {
  std::vector<std::string> all;
  for (const Stem& s : song().stems)
    if (isMissing(s.id)) all.push_back(s.id);
  return all;
}

void Session::pointAt(const std::string& stem, const fs::path& file) {
  lookJob_.begin({song(), {stem}, file, false});
}

void Session::addStems(const std::vector<fs::path>& files) {
  if (!plan_) return;
  for (const fs::path& f : files) pathFor(f); // their folders are allowed
  addJob_.begin({song(), files});
}

void Session::takeAdded(Added added) {
  for (const Problem& p : added.problems.list)
    if (p.isError) emit notice(asText(p.text()), true);
  if (added.stems.empty()) return;
  // The song may have moved on meanwhile: ids are made anew.
  Song taken = song();
  for (Stem& s : added.stems) {
    s.id = freshRowId(taken, s.name);
    taken = withStem(std::move(taken), s);
  }
  std::vector<std::string> ids;
  for (const Stem& s : added.stems) ids.push_back(s.id);
  const int count = static_cast<int>(added.stems.size());
  const QString name = asText(added.stems.front().name);
  edit(count == 1 ? tr("new row %1").arg(name) : tr("new rows"), withStems(song(), std::move(added.stems)));
  settle();
  emit stemsAdded(count);
  if (!added.apart) return;
  emit offered(tr("They lie where their files say, beside the other stems."), tr("from the start instead"),
               [this, ids] {
                 Song together = song();
                 for (Stem& s : together.stems)
                   if (std::find(ids.begin(), ids.end(), s.id) != ids.end()) s.offsetSeconds = 0;
                 edit(tr("new rows from the start"), std::move(together));
                 settle();
               });
}

// ---------------------------------------------------------------- written anew

/// Files that are there, and their folders: a file that is replaced is another one.
void Session::watchStems() {
  QStringList wanted;
  watched_.clear();
  for (const Stem& s : song().stems) {
    if (!s.file) continue;
    watched_.push_back(*s.file);
    const fs::path file(*s.file);
    std::error_code gone;
    if (fs::is_regular_file(file, gone)) wanted << asText(file.string());
    if (fs::is_directory(file.parent_path(), gone)) wanted << asText(file.parent_path().string());
  }
  wanted.removeDuplicates();
  const QStringList watched = files_.files() + files_.directories();
  QStringList more, less;
  for (const QString& w : wanted)
    if (!watched.contains(w)) more << w;
  for (const QString& w : watched)
    if (!wanted.contains(w)) less << w;
  if (!less.isEmpty()) files_.removePaths(less);
  if (!more.isEmpty()) files_.addPaths(more);
}

/// Asked at every edit: no file is looked at.
bool Session::watchesAll() const {
  std::size_t i = 0;
  for (const Stem& s : song().stems)
    if (s.file && (i >= watched_.size() || watched_[i++] != *s.file)) return false;
  return i == watched_.size();
}

void Session::lookForReexports() {
  if (!plan_) return;
  watchStems(); // what was replaced is watched again
  ReexportInput in{song(), {}};
  for (const Stem& s : song().stems)
    if (const auto& heard = audio_.of(s.id)) in.digests[s.id] = heard->digest();
  reexportJob_.begin(std::move(in));
}

void Session::offerReexports(const std::vector<std::string>& stems) {
  QStringList names;
  for (const std::string& id : stems) names << asText(song().rowName(id));
  emit offered(stems.size() == 1 ? tr("The file of %1 was written anew.").arg(names.front())
                                 : tr("Files were written anew: %1.").arg(names.join(QStringLiteral(", "))),
               tr("hear it as it is now"), [this, stems] { takeReexports(stems); });
}

/// The files are what they are: there is nothing to undo. What is placed stays on its beats.
void Session::takeReexports(const std::vector<std::string>& stems) {
  for (const std::string& id : stems) {
    audio_.drop(id);
    rowProblems_.erase(id);
    offeredAnew_.erase(id);
  }
  plan_.reset(); // it was made with another sound
  replan();
}

void Session::findStemsIn(const fs::path& folder) {
  lookJob_.begin({song(), missingStems(), folder, true});
}

void Session::takeFound(LookFound found) {
  emit progress({}, 1);
  for (const Problem& p : found.problems.list) emit notice(asText(p.text()), p.isError);
  if (found.stems.empty()) {
    if (found.problems.list.empty()) emit notice(tr("None of the missing stems is there."), true);
    return;
  }
  for (const StemFound& f : found.stems) pathFor(f.file); // the user chose the folder
  const QString label = found.stems.size() == 1
                            ? tr("file of %1").arg(asText(song().rowName(found.stems.front().stem)))
                            : tr("files of %n row(s)", nullptr, static_cast<int>(found.stems.size()));
  edit(label, withStemsFound(song(), found.stems));
  settle();
  if (found.of > found.stems.size())
    emit notice(tr("%1 of %2 missing stems were found.").arg(found.stems.size()).arg(found.of), false);
  else if (found.of == 1 && !found.stems.front().sameSound && !song().stem(found.stems.front().stem)->digest.empty())
    emit notice(tr("%1 takes its sound from %2 now.")
                    .arg(asText(song().rowName(found.stems.front().stem)),
                         asText(found.stems.front().file.filename().string())),
                false);
}

// ---------------------------------------------------------------- exporting

void Session::exportTo(const fs::path& folder, const ExportOptions& options) {
  if (!plan_) return;
  if (plan_->anyFailed()) replan(); // what failed is tried again
  exports_.push_back({plan_, audio_, folder, options});
  if (exports_.size() == 1)
    nextExport();
  else
    emit notice(tr("This export follows when the one under way has ended."), false);
}

void Session::nextExport() {
  if (!exports_.empty()) exportJob_.begin(exports_.front());
}

void Session::cancelWork() {
  openJob_.cancel();
  lookJob_.cancel();
  if (exports_.empty())
    emit progress({}, 1);
  else
    cancelExport();
}

void Session::cancelExport() {
  exports_.resize(std::min<std::size_t>(exports_.size(), 1));
  exportJob_.hurry();
}

} // namespace ivrin::app
