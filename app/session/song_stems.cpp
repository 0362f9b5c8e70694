#include "app/session/song_stems.h"

#include "app/session/session.h"
#include "app/words/as_text.h"
#include "song/edits.h"
#include "time/give_way.h"

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

constexpr int kImportThreads = 2, kVerifyAfterMs = 2000,
              kFilesAfterMs = 500; // of quiet: who exports writes for a while

} // namespace

SongStems::SongStems(Session& session)
    : session_(session)
    , audioJob_(
          session.workers(),
          [](const AudioInput& in, const Run& run) {
            AudioFound found;
            found.audio = SongAudio::open(in.song, in.folders, in.store, found.problems, kImportThreads, run.stop,
                                          progressOf(run, in.told), &in.known);
            return found;
          },
          [this](AudioFound found) { takeAudio(std::move(found)); })
    , verifyJob_(
          session.workers(),
          [](const SongAudio& audio, const Run& run) {
            giveWay();
            Verified v;
            for (const auto& [id, stem] : audio.all()) {
              const bool sound = stem->verify(run.stop);
              if (run.stop.stop_requested()) break;
              if (sound)
                v.sound.push_back(stem->digest());
              else
                v.damaged.push_back(id);
            }
            return v;
          },
          [this](Verified v) {
            verified_.insert(v.sound.begin(), v.sound.end());
            dropDamaged(v.damaged);
          })
    , lookJob_(
          session.workers(),
          [](const LookInput& in, const Run& run) {
            LookFound found;
            found.of = in.stems.size();
            if (in.isFolder)
              found.stems = findStems(in.song, in.stems, in.where, in.store, run.stop, progressOf(run, in.told));
            else if (auto one = stemAt(in.song, in.stems.front(), in.where, in.store, found.problems, run.stop))
              found.stems.push_back(std::move(*one));
            return found;
          },
          [this](LookFound found) { takeFound(std::move(found)); })
    , addJob_(
          session.workers(),
          [](const AddInput& in, const Run& run) {
            Added added;
            NewStems made = stemsFromFiles(in.files, in.song, in.store, added.problems, run.stop);
            added.stems = std::move(made.stems);
            added.apart = made.apart;
            return added;
          },
          [this](Added added) { takeAdded(std::move(added)); })
    , reexportJob_(
          session.workers(),
          [](const ReexportInput& in, const Run& run) {
            giveWay();
            return writtenAnew(in.song, in.digests, in.store, run.stop);
          },
          [this](const std::map<std::string, std::string>& anew) {
            std::vector<std::string> stems;
            for (const auto& [id, digest] : anew)
              if (std::exchange(offeredAnew_[id], digest) != digest) stems.push_back(id);
            if (!stems.empty()) offerReexports(stems);
          }) {
  for (auto& [timer, ms] : {std::pair{&verifyTimer_, kVerifyAfterMs}, std::pair{&filesTimer_, kFilesAfterMs}}) {
    timer->setSingleShot(true);
    timer->setInterval(ms);
  }
  connect(&verifyTimer_, &QTimer::timeout, this, &SongStems::verify);
  connect(&filesTimer_, &QTimer::timeout, this, &SongStems::lookForReexports);
  connect(&files_, &FileWatch::changed, this, [this] { filesTimer_.start(); });
}

void SongStems::clear() {
  audioJob_.cancel();
  verifyJob_.cancel();
  lookJob_.cancel();
  addJob_.cancel();
  reexportJob_.cancel();
  offeredAnew_.clear();
  problems_.clear();
}

void SongStems::begin() {
  verifyTimer_.start();
  watch();
}

void SongStems::planMade() {
  if (!session_.audio().covers(session_.song())) bringIn(session_.audio());
}

void SongStems::songEdited() {
  if (!watchesAll()) watch();
}

bool SongStems::beginWaiting() {
  if (!verifyTimer_.isActive()) return false;
  verifyTimer_.stop();
  verify();
  return true;
}

// ---------------------------------------------------------------- what is there and what is not

QString SongStems::problem(const std::string& row) const {
  const auto it = problems_.find(row);
  return it == problems_.end() ? QString() : it->second;
}

void SongStems::takeProblems(const Problems& problems) {
  for (const Problem& p : problems.list)
    if (const Stem* s = p.isError ? stemAtPlace(session_.song(), p.place) : nullptr)
      problems_[s->id] = asText(p.message);
}

bool SongStems::isMissing(const std::string& row) const {
  const Stem* s = session_.song().stem(row);
  return s && s->file && !session_.audio().of(row);
}

std::vector<std::string> SongStems::missing() const {
  std::vector<std::string> all;
  for (const Stem& s : session_.song().stems)
    if (isMissing(s.id)) all.push_back(s.id);
  return all;
}

void SongStems::bringIn(SongAudio known) {
  audioJob_.begin({session_.song(), session_.document().audioFolders(), std::move(known), session_.store(),
                   session_.showProgress(Session::tr("Importing stems…"))});
}

void SongStems::openMissing() {
  SongAudio known = session_.audio();
  for (const std::string& id : missing()) known.drop(id);
  bringIn(std::move(known));
}

void SongStems::takeAudio(AudioFound found) {
  emit session_.progress({}, 1);
  const SongAudio& had = session_.audio();
  const bool stems = !found.audio.sameStems(had);
  if (!stems && found.audio.impulses() == had.impulses()) return;
  if (stems) {
    for (const Stem& s : session_.song().stems)
      if (found.audio.of(s.id) != had.of(s.id)) problems_.erase(s.id);
    session_.rows().wantAll();
  }
  takeProblems(found.problems);
  session_.takeAudio(std::move(found.audio), stems);
  verifyTimer_.start();
  for (const Problem& p : found.problems.list) emit session_.notice(asText(p.text()), p.isError);
  if (stems) emit session_.songChanged();
}

/// Once in a session, of every stem; apart, and after all that is waited for.
void SongStems::verify() {
  SongAudio unverified = session_.audio();
  for (const auto& [id, stem] : session_.audio().all())
    if (verified_.contains(stem->digest())) unverified.drop(id);
  if (!unverified.all().empty()) verifyJob_.begin(std::move(unverified));
}

void SongStems::dropDamaged(const std::vector<std::string>& stems) {
  if (stems.empty() || !session_.isOpen()) return;
  QStringList names;
  SongAudio sound = session_.audio();
  for (const std::string& id : stems) {
    if (const auto& audio = sound.of(id)) {
      session_.store().forget(*audio);
      verified_.erase(audio->digest());
    }
    sound.drop(id);
    names << asText(session_.song().rowName(id));
  }
  session_.forgetPrints();
  session_.takeAudio(std::move(sound), true);
  emit session_.notice(Session::tr("The cached copy of %1 was damaged. It is being imported again.")
                           .arg(names.join(QStringLiteral(", "))),
                       true);
}

// ---------------------------------------------------------------- found elsewhere, added

void SongStems::pointAt(const std::string& stem, const fs::path& file) {
  lookJob_.begin({session_.song(), {stem}, file, false, session_.store(), {}});
}

void SongStems::findIn(const fs::path& folder) {
  lookJob_.begin({session_.song(), missing(), folder, true, session_.store(),
                  session_.showProgress(Session::tr("Looking for stems…"))});
}

void SongStems::takeFound(LookFound found) {
  emit session_.progress({}, 1);
  for (const Problem& p : found.problems.list) emit session_.notice(asText(p.text()), p.isError);
  if (found.stems.empty()) {
    if (found.problems.list.empty())
      emit session_.notice(Session::tr("None of the missing stems was found there. Choose another folder."), true);
    return;
  }
  for (const StemFound& f : found.stems) session_.files().pathFor(f.file); // the user chose the folder
  const StemFound& first = found.stems.front();
  const QString name = asText(session_.song().rowName(first.stem));
  const int count = static_cast<int>(found.stems.size());
  session_.edit(count == 1 ? Session::tr("replace file of %1").arg(name)
                           : Session::tr("find %n file(s)", nullptr, count),
                withStemsFound(session_.song(), found.stems));
  session_.settle();
  if (found.of > found.stems.size())
    emit session_.notice(Session::tr("Found %1 of %2 missing stems.").arg(found.stems.size()).arg(found.of), false);
  else if (found.of == 1 && !first.sameSound && !session_.song().stem(first.stem)->digest.empty())
    emit session_.notice(Session::tr("%1 now plays %2.").arg(name, asText(first.file.filename().string())), false);
}

void SongStems::add(const std::vector<fs::path>& files) {
  if (!session_.isOpen()) return;
  for (const fs::path& f : files) session_.files().pathFor(f); // their folders are allowed
  addJob_.begin({session_.song(), files, session_.store()});
}

void SongStems::moveToStart(const QString& label, const std::vector<std::string>& rows) {
  Song together = session_.song();
  for (Stem& s : together.stems)
    if (std::find(rows.begin(), rows.end(), s.id) != rows.end()) s.offsetSeconds = 0;
  session_.edit(label, std::move(together));
  session_.settle();
}

void SongStems::takeAdded(Added added) {
  for (const Problem& p : added.problems.list)
    if (p.isError) emit session_.notice(asText(p.text()), true);
  if (added.stems.empty()) return;
  // The song may have moved on meanwhile: ids are made anew.
  Song taken = session_.song();
  for (Stem& s : added.stems) {
    s.id = freshRowId(taken, s.name);
    taken = withStem(std::move(taken), s);
  }
  std::vector<std::string> ids;
  for (const Stem& s : added.stems) ids.push_back(s.id);
  const int count = static_cast<int>(added.stems.size());
  const QString name = asText(added.stems.front().name);
  session_.edit(count == 1 ? Session::tr("add row %1").arg(name) : Session::tr("add rows"),
                withStems(session_.song(), std::move(added.stems)));
  session_.settle();
  emit this->added(count);
  if (!added.apart) return;
  emit session_.offered(Session::tr("New rows placed at their time stamps."), Session::tr("Align to start"),
                        [this, ids] { moveToStart(Session::tr("align new rows to start"), ids); });
}

// ---------------------------------------------------------------- written anew

void SongStems::watch() {
  QStringList wanted;
  watched_.clear();
  for (const Stem& s : session_.song().stems) {
    if (!s.file) continue;
    watched_.push_back(*s.file);
    wanted << asText(*s.file);
  }
  files_.watch(wanted);
}

/// Asked at every edit: no file is looked at.
bool SongStems::watchesAll() const {
  std::size_t i = 0;
  for (const Stem& s : session_.song().stems)
    if (s.file && (i >= watched_.size() || watched_[i++] != *s.file)) return false;
  return i == watched_.size();
}

void SongStems::lookForReexports() {
  if (!session_.isOpen()) return;
  watch(); // what was replaced is watched again
  ReexportInput in{session_.song(), {}, session_.store()};
  for (const Stem& s : in.song.stems)
    if (const auto& heard = session_.audio().of(s.id)) in.digests[s.id] = heard->digest();
  reexportJob_.begin(std::move(in));
}

void SongStems::offerReexports(const std::vector<std::string>& stems) {
  QStringList names;
  for (const std::string& id : stems) names << asText(session_.song().rowName(id));
  emit session_.offered(stems.size() == 1
                            ? Session::tr("The file of %1 changed on disk.").arg(names.front())
                            : Session::tr("Files changed on disk: %1.").arg(names.join(QStringLiteral(", "))),
                        Session::tr("Reload"), [this, stems] { takeReexports(stems); });
}

/// The files are what they are: there is nothing to undo. What is placed stays on its beats.
void SongStems::takeReexports(const std::vector<std::string>& stems) {
  SongAudio sound = session_.audio();
  for (const std::string& id : stems) {
    sound.drop(id);
    problems_.erase(id);
    offeredAnew_.erase(id);
  }
  session_.takeAudio(std::move(sound), true);
}

} // namespace ivrin::app
