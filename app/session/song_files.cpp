#include "app/session/song_files.h"

#include "app/session/session.h"
#include "app/words/as_text.h"
#include "app/words/grid_words.h"
#include "services/memory.h"
#include "song/edits.h"
#include "time/give_way.h"
#include "words/words.h"

#include <QTimer>

#include <algorithm>
#include <set>

namespace ivrin::app {
namespace fs = std::filesystem;

SongFiles::SongFiles(Session& session)
    : session_(session)
    , reach_(session.options().reach)
    , openJob_(
          session.workers(),
          [](const OpenInput& in, const Run& run) {
            const Progress progress = progressOf(run, in.told);
            if (!in.left.empty()) return openLeft(in.left, in.places, in.store, run.stop, progress);
            return in.fresh ? beginDocument(in.files, in.bpm, in.store, run.stop, progress)
                            : openDocument(in.files.front(), in.places, in.store, run.stop, progress);
          },
          [this](OpenedDocument d) { takeOpened(std::move(d)); })
    , leftJob_(
          session.workers(), [](const fs::path& folder, const Run&) { return leftWithoutFile(folder); },
          [this](const LeftFound& left) {
            std::erase_if(left_, [](const LeftEdits& l) { return l.file.empty(); });
            left_.insert(left_.end(), left.edits.begin(), left.edits.end());
            if (!left.edits.empty()) emit leftOffered();
            for (const Problem& p : left.journals.list) emit session_.notice(asText(p.message), true);
          })
    , tidyJob_(
          session.workers(),
          [](const int&, const Run&) {
            giveWay();
            giveMemoryBack();
            return 0;
          },
          [](int) {})
    , saveJob_(
          session.workers(),
          [](const Document::Saving& s, const Run&) {
            Wrote w{s, {}};
            try {
              w.written = Document::write(s);
            } catch (const std::exception& e) {
              w.written.why = inWords(e);
            }
            return w;
          },
          [this](Wrote w) { saved(std::move(w)); }) {}

// ---------------------------------------------------------------- opening

SongFiles::OpenInput SongFiles::inputOf(std::vector<fs::path> files) const {
  return {std::move(files),
          false,
          std::nullopt,
          {session_.options().journalFolder, reach_, session_.document().heldLock()},
          {},
          session_.store(),
          session_.showProgress(Session::tr("Importing stems…"))};
}

void SongFiles::open(const fs::path& file, const OpenAs& as) {
  OpenInput in = inputOf({file});
  in.places.readOnly = as.readOnly;
  in.places.asSaved = as.asSaved;
  in.places.bringBack = as.bringBack;
  beginOpening(std::move(in));
}

void SongFiles::begin(const std::vector<fs::path>& files, std::optional<double> bpm) {
  OpenInput in = inputOf(files);
  in.fresh = true;
  in.bpm = bpm;
  beginOpening(std::move(in));
}

void SongFiles::beginOpening(OpenInput in) {
  leaving_ = session_.song();
  openJob_.begin(std::move(in));
}

/// It has arrived. Edits that were made while it was on its way are asked about, once nothing else is being dealt with.
void SongFiles::takeOpened(OpenedDocument d) {
  if (saving()) { // the song that is being saved stays until it is
    whenSaved([this, one = std::make_shared<OpenedDocument>(std::move(d))] { takeOpened(std::move(*one)); });
    return;
  }
  emit session_.progress({}, 1);
  const bool edited = session_.isOpen() && session_.history().changedSinceSave() && !(session_.song() == leaving_);
  if (!d.opened || !edited || !mayReplace_) {
    takeArrived(std::move(d));
    return;
  }
  arrived_ = std::move(d);
  QTimer::singleShot(0, this, [this] {
    std::optional<OpenedDocument> one = std::exchange(arrived_, std::nullopt);
    if (!one) return;
    mayReplace_([this, one = std::make_shared<OpenedDocument>(std::move(*one))] { takeArrived(std::move(*one)); });
  });
}

void SongFiles::takeArrived(OpenedDocument d) {
  if (d.heldBy) {
    const Holder& h = *d.heldBy;
    const QString who = h.host.empty() ? Session::tr("another window")
                        : h.onThisMachine()
                            ? Session::tr("another window, process %1").arg(h.process)
                            : Session::tr("a window on %1, process %2").arg(asText(h.host)).arg(h.process);
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
    emit session_.notice(!name.isEmpty() ? Session::tr("Open failed: %1. %2").arg(name, why)
                         : why.isEmpty()
                             ? Session::tr("Import failed: no audio was found there. Choose WAV, FLAC or AIFF files.")
                             : why,
                         true);
  }
  if (offered) emit leftOffered();
  for (const Problem& p : journals.list) emit session_.notice(asText(p.message), true);
}

namespace {

QString wordsOf(const FoundGrid& grid) {
  if (grid.curve)
    return Session::tr("Played without a click: tempo map with %1, bar 1 at %2 s. Correct it in Song > Tempo.")
        .arg(tempiWords(tempiOf(*grid.curve)), QString::number(grid.curve->beats.front(), 'f', 2));
  if (!grid.tempo) return Session::tr("Tempo detection failed: no steady beat found. Set it in Song > Tempo.");
  if (grid.tempo->confidence < kLeastConfidence) {
    QStringList likely;
    for (const double bpm : likelyTempi(grid)) likely << bpmText(bpm);
    return Session::tr(
               "The tempo is uncertain: %1 BPM? Each button plays a tempo with the click; click again to accept it.")
        .arg(likely.join(QStringLiteral(" · ")));
  }
  const bool key = grid.key && grid.key->confidence >= kLeastConfidence;
  return (
      key ? Session::tr("Detected %1 BPM, bar 1 at %2 s, %3. If it feels half or double, change it in Song > Tempo.")
                .arg(QString::number(grid.tempo->bpm), QString::number(grid.tempo->barOneSeconds, 'f', 2),
                     asText(keyText(grid.key->key)))
          : Session::tr("Detected %1 BPM, bar 1 at %2 s. If it feels half or double, change it in Song > Tempo.")
                .arg(QString::number(grid.tempo->bpm), QString::number(grid.tempo->barOneSeconds, 'f', 2)));
}

} // namespace

void SongFiles::adopt(OpenedDocument d) {
  session_.adopt(std::move(*d.opened), std::move(d.place), d.problems);
  tidyJob_.begin(0);
  if (d.grid) {
    emit session_.notice(d.gridFrom.empty()
                             ? wordsOf(*d.grid)
                             : Session::tr("Tempo and time signature come from %1.").arg(asText(d.gridFrom)),
                         false);
    if (d.tempoGuessed) session_.findings().doubtTempo(*d.grid);
    if (hasTempo(*d.grid) || !d.gridFrom.empty()) session_.findings().lookForSections();
  }
  if (d.apart)
    emit session_.offered(Session::tr("Stems placed at their time stamps."), Session::tr("Align all to start"),
                          [&session = session_] {
                            std::vector<std::string> all;
                            for (const Stem& stem : session.song().stems) all.push_back(stem.id);
                            session.stems().moveToStart(Session::tr("align all stems to start"), all);
                          });
  sayWhatIsMissing(d.problems);
  if (session_.readOnly())
    emit session_.notice(
        Session::tr("Read only: another window has this song open. Save your edits under another name."), false);
  if (d.broughtBack && d.journal) {
    session_.bringBack(std::move(*d.broughtBack), std::move(d.journal), d.edits);
    emit recovered();
  }
}

/// What is out of reach can be allowed; the rest is told.
void SongFiles::sayWhatIsMissing(const Problems& problems) {
  QString unreachable, first;
  int errors = 0;
  for (const Problem& p : problems.list) {
    if (!p.isError) continue;
    if (errors++ == 0) first = asText(p.message);
    const Stem* s = stemAtPlace(session_.song(), p.place);
    if (p.id != ErrorId::out_of_reach || !s || !s->file) continue;
    std::error_code ec; // a loop of links leads nowhere
    const fs::path where = fs::weakly_canonical(*s->file, ec);
    if (!ec) unreachable = asText(where.parent_path().string());
  }
  const QString all = errors <= 1 ? first : Session::tr("%1 (and %2 more)").arg(first).arg(errors - 1);
  if (!unreachable.isEmpty())
    emit outOfReach(unreachable);
  else if (!session_.stems().missing().empty())
    emit stemsMissing(all);
  else if (errors > 0)
    emit session_.notice(all, true);
}

// ---------------------------------------------------------------- saving

void SongFiles::save(const fs::path& file, std::function<void(bool)> then) {
  saves_.push_back({file, std::move(then)});
  if (saves_.size() == 1) beginSaving();
}

void SongFiles::beginSaving() {
  saveJob_.begin(session_.document().beginSaving(saves_.front().file));
}

void SongFiles::saved(Wrote w) {
  const Document::Saved saved = session_.document().endSaving(w.saving, std::move(w.written));
  const bool ok = saved.why.empty();
  if (ok) {
    keepInReach();
    emit session_.songChanged();
    if (!saved.note.empty()) emit session_.notice(Session::tr("Saved. %1.").arg(asText(saved.note)), false);
  } else {
    emit session_.notice(Session::tr("Save failed: %1").arg(asText(saved.why)), true);
  }
  const auto then = std::move(saves_.front().then);
  saves_.pop_front();
  if (saving()) beginSaving();
  if (then) then(ok);
  if (saving()) return;
  for (const auto& f : std::exchange(whenSaved_, {})) f();
}

void SongFiles::whenSaved(std::function<void()> then) {
  if (saving())
    whenSaved_.push_back(std::move(then));
  else
    then();
}

/// Saved into another folder, the song keeps the stems that it had: where they lie is allowed to it from now on.
void SongFiles::keepInReach() {
  const fs::path folder = plainPath(fs::absolute(session_.file())).parent_path();
  std::set<fs::path> outside;
  for (const Stem& s : session_.song().stems) {
    if (!s.file || session_.stems().isMissing(s.id)) continue;
    const fs::path where = plainPath(folder / *s.file).parent_path();
    const auto apart = std::mismatch(folder.begin(), folder.end(), where.begin(), where.end()).first;
    if (apart != folder.end()) outside.insert(where);
  }
  for (const fs::path& where : outside) {
    if (std::find(reach_.begin(), reach_.end(), where) != reach_.end()) continue;
    reach_.push_back(where);
    emit folderAllowed(asText(where.string()));
  }
}

void SongFiles::allowFolder(const fs::path& folder) {
  reach_.push_back(folder);
  session_.document().allow(folder);
  if (session_.isOpen()) session_.stems().openMissing();
}

std::string SongFiles::pathFor(const fs::path& chosen) {
  reach_.push_back(plainPath(chosen).parent_path());
  return session_.document().pathFor(chosen);
}

// ---------------------------------------------------------------- what was left

void SongFiles::lookForLeft() {
  const fs::path& folder = session_.options().journalFolder;
  if (!folder.empty()) leftJob_.begin(folder);
}

void SongFiles::bringBack(const LeftEdits& one) {
  std::error_code gone;
  if (!one.file.empty() && fs::exists(one.file, gone)) {
    open(one.file, OpenAs{false, false, one.journal});
    return;
  }
  OpenInput in = inputOf({});
  in.left = one.journal;
  beginOpening(std::move(in));
}

void SongFiles::letGo(const LeftEdits& one) {
  ivrin::letGo(one.journal);
  std::erase_if(left_, [journal = one.journal](const LeftEdits& l) { return l.journal == journal; });
}

void SongFiles::discardRecovered() {
  forgetEdits();
  open(session_.file());
}

void SongFiles::forgetEdits() {
  session_.document().forgetEdits();
}

} // namespace ivrin::app
