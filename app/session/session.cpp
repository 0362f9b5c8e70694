#include "app/session/session.h"

#include "app/theme/ornament_look.h"
#include "render/facts.h"
#include "render/song_impulses.h"
#include "services/hearing.h"
#include "song/edits.h"

#include <QCoreApplication>
#include <QEventLoop>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

constexpr int kRenderThreads = 2;
constexpr int kPeaksAfterMs = 150, kFactsAfterMs = 120;

QString asText(const std::string& s) {
  return QString::fromStdString(s);
}

} // namespace

Session::Session(Options options)
    : options_(std::move(options))
    , document_(allKinds().registry(), options_.journalFolder)
    , store_(options_.cacheFolder)
    , playback_(options_.playback)
    , pool_(kRenderThreads)
    , workers_([this](std::function<void()> f) { post(std::move(f)); },
               [this](const std::string& why) {
                 emit progress({}, 1);
                 emit notice(tr("Something went wrong: %1").arg(asText(why)), true);
               })
    , openJob_(
          workers_,
          [this](const OpenInput& in, const Run& run) {
            return in.bpm ? beginDocument(in.files, *in.bpm, store_, run.stop, reportImport(run))
                          : openDocument(in.files.front(), in.places, store_, run.stop, reportImport(run));
          },
          [this](OpenedDocument d) { takeOpened(std::move(d)); })
    , impulseJob_(
          workers_,
          [this](const ImpulsesInput& in, const Run& run) {
            ImpulsesFound found;
            found.impulses = loadImpulses(in.song, in.reach, store_, in.known, found.problems, run.stop);
            return found;
          },
          [this](ImpulsesFound found) {
            if (found.impulses == audio_.impulses()) return;
            audio_.setImpulses(found.impulses);
            replan();
            for (const Problem& p : found.problems.list) emit notice(asText(p.text()), p.isError);
          })
    , spectraJob_(
          workers_,
          [this](const SpectraInput& in, const Run& run) {
            return measureFinish(*in.plan, in.audio, *cache_, in.ornament, in.index, run.stop);
          },
          [this](std::optional<FinishSpectra> s) {
            if (!s) return;
            spectra_ = std::move(s);
            emit spectraChanged();
          })
    , findJob_(
          workers_,
          [this](const FindInput& in, const Run& run) {
            for (const std::string& row : in.rows)
              if (auto found = options_.findings->of(in.plan, row, run.stop))
                run.report([this, row, found] { found_[row] = found; });
            return 0;
          },
          [this](int) { emit printsAdvanced(); })
    , placeJob_(
          workers_,
          [this](const PlaceInput& in, const Run& run) {
            return placeSeveral(allKinds(), in.kind, in.plan->song(), in.presses,
                                hearing(in.plan, in.audio, cache_, *options_.findings, run.stop))
                .placed;
          },
          [this](std::vector<Ornament> made) { addPlaced(made); })
    , peaksJob_(
          workers_, [](const PeaksInput& in, const Run& run) { return ivrin::rowPeaks(*in.plan, in.known, run.stop); },
          [this](std::optional<AllRowPeaks> made) {
            if (!made) return;
            rowPeaks_ = std::move(*made);
            emit rowPeaksReady();
          })
    , factsJob_(
          workers_,
          [this](const FactsInput& in, const Run& run) {
            return measureChosen(in.plan, in.ornament, in.without, *options_.findings, run.stop);
          },
          [this](std::optional<ChosenFacts> measured) {
            if (!measured || measured->ornament != chosen_) return;
            facts_ = std::move(measured);
            compareChosen();
            emit factsChanged();
          })
    , exportJob_(
          workers_,
          [this](const ExportInput& in, const Run& run) -> std::pair<QString, bool> {
            try {
              const ExportReport report =
                  exportSong(in.plan, in.folder, in.options, run.stop, [&](double f, const std::string& what) {
                    run.report([this, f, text = asText(what)] { emit progress(text, std::min(f, 0.999)); });
                  });
              QString text =
                  report.stopped ? tr("Export cancelled; nothing half written was left.")
                  : report.files.size() == 1
                      ? tr("1 file written to %1").arg(asText(in.folder.string()))
                      : tr("%1 files written to %2").arg(report.files.size()).arg(asText(in.folder.string()));
              for (const auto& n : report.notes) text += QStringLiteral(" · ") + asText(n);
              return {text, !report.stopped};
            } catch (const std::exception& e) {
              return {tr("The export stopped: %1").arg(QString::fromUtf8(e.what())), false};
            }
          },
          [this](std::pair<QString, bool> done) {
            emit progress({}, 1);
            emit exported(done.first, done.second);
          }) {
  for (auto& [timer, ms] : {std::pair{&peaksTimer_, kPeaksAfterMs}, std::pair{&factsTimer_, kFactsAfterMs}}) {
    timer->setSingleShot(true);
    timer->setInterval(ms);
  }
  connect(&peaksTimer_, &QTimer::timeout, this, &Session::startPeaks);
  connect(&factsTimer_, &QTimer::timeout, this, &Session::startFacts);
  pool_.onProgress([this] {
    if (progressPosted_.exchange(true)) return;
    post([this] {
      progressPosted_ = false;
      if (!plan_) return;
      emit printsAdvanced();
      peaksTimer_.start();
    });
  });
}

Session::~Session() {
  pool_.onProgress({});
  pool_.setPlans({});
}

QString Session::rowProblem(const std::string& row) const {
  const auto it = rowProblems_.find(row);
  return it == rowProblems_.end() ? QString() : it->second;
}

// ---------------------------------------------------------------- opening and saving

Progress Session::reportImport(const Run& run) {
  return [this, report = run.report](std::int64_t done, std::int64_t total) {
    report([this, f = static_cast<double>(done) / static_cast<double>(std::max<std::int64_t>(total, 1))] {
      emit progress(tr("Bringing in stems"), std::min(f, 0.999));
    });
  };
}

void Session::open(const fs::path& file) {
  openJob_.begin({{file}, std::nullopt, {options_.journalFolder, options_.reach}});
}

void Session::begin(const std::vector<fs::path>& files, double bpm) {
  openJob_.begin({files, bpm, {}});
}

void Session::takeOpened(OpenedDocument d) {
  emit progress({}, 1);
  if (d.opened) return adopt(std::move(d));
  if (d.file.empty()) {
    emit notice(d.problems.list.empty() ? tr("There is no audio in that.") : asText(d.problems.list.front().text()),
                true);
    return;
  }
  const QString why = d.problems.list.empty() ? QString() : asText(d.problems.list.front().text());
  emit notice(tr("%1 cannot be opened. %2").arg(asText(d.file.filename().string()), why), true);
}

void Session::adopt(OpenedDocument d) {
  if (playback_.begun()) player().stop();
  // What is under way belongs to the song that was open.
  impulseJob_.cancel();
  spectraJob_.cancel();
  findJob_.cancel();
  placeJob_.cancel();
  peaksJob_.cancel();
  factsJob_.cancel();
  document_.adopt(std::move(d.opened->song), d.opened->reach, d.file, std::move(d.savedText));
  audio_ = std::move(d.opened->audio);
  rowProblems_.clear();
  found_.clear();
  rowPeaks_.clear();
  facts_.reset();
  spectra_.reset();
  chosen_.clear();
  plan_.reset();
  int errors = 0;
  QString first, unreachable;
  for (const Problem& p : d.problems.list) {
    if (!p.isError) continue;
    if (errors++ == 0) first = asText(p.message);
    // "stems[3].file" names the row.
    if (p.place.starts_with("stems[")) {
      const auto i = static_cast<std::size_t>(std::strtoul(p.place.c_str() + 6, nullptr, 10));
      if (i < song().stems.size()) {
        rowProblems_[song().stems[i].id] = asText(p.message);
        if (p.id == ErrorId::out_of_reach && song().stems[i].file) {
          std::error_code ec; // a loop of links leads nowhere
          const fs::path where = fs::weakly_canonical(*song().stems[i].file, ec);
          if (!ec) unreachable = asText(where.parent_path().string());
        }
      }
    }
  }
  for (const std::string& row : song().rowsInScoreOrder()) wanted_.insert(row);
  if (const auto news = playback_.begin(song().sampleRate)) tell(*news);
  compareChosen();
  replan();
  emit opened();
  if (!unreachable.isEmpty())
    emit outOfReach(unreachable);
  else if (errors > 0)
    emit notice(errors == 1 ? first : tr("%1 (and %2 more)").arg(first).arg(errors - 1), true);
  if (d.recovered) {
    document_.edit("recovered edits", std::move(*d.recovered));
    settle();
    songEdited();
    emit recovered();
  }
}

bool Session::save(const fs::path& file) {
  if (const std::string why = document_.save(file); !why.empty()) {
    emit notice(tr("The song was not saved: %1").arg(asText(why)), true);
    return false;
  }
  emit songChanged();
  return true;
}

void Session::discardRecovered() {
  forgetEdits();
  open(file());
}

void Session::forgetEdits() {
  document_.forgetEdits();
}

void Session::allowFolder(const fs::path& folder) {
  options_.reach.push_back(folder);
  if (!file().empty()) open(file());
}

std::string Session::pathFor(const fs::path& chosen) {
  options_.reach.push_back(plainPath(chosen).parent_path());
  return document_.pathFor(chosen);
}

// ---------------------------------------------------------------- editing

void Session::edit(const QString& label, Song next, const std::string& mergeKey) {
  document_.edit(label.toStdString(), std::move(next), mergeKey);
  songEdited();
}

void Session::undo() {
  document_.undo();
  songEdited();
}

void Session::redo() {
  document_.redo();
  songEdited();
}

void Session::songEdited() {
  replan();
  emit songChanged();
}

void Session::replan() {
  if (!chosen_.empty() && !song().ornament(chosen_)) {
    chosen_.clear();
    compareChosen();
  }
  Problems problems;
  plan_ = RenderPlan::make(song(), audio_, allKinds(), *cache_, plan_.get(), &problems);
  hearPlan();
  loadNewImpulses();
  peaksTimer_.start();
  factsTimer_.start();
  emit planChanged();
  for (const Problem& p : problems.list) emit notice(asText(p.text()), true);
}

/// Impulse responses that an edit brought in are decoded apart; until then their space is silent.
void Session::loadNewImpulses() {
  const auto known = audio_.impulses();
  const auto files = impulseFiles(song());
  const auto have = [&](const auto& f) { return known && known->has(f.second); };
  if (std::all_of(files.begin(), files.end(), have)) return;
  impulseJob_.begin({song(), document_.reach(), known});
}

void Session::place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch) {
  if (!plan_ || rows.empty() || stretch.length().ticks <= 0) return;
  if (rows.size() == 1)
    if (const auto again = pressedAgain(song(), kind, rows.front(), stretch)) {
      if (!again->next) {
        emit notice(asText(again->why), false);
        return;
      }
      edit(tr("%1 of %2").arg(asText(again->word), kindWord(kind)), withOrnamentReplaced(song(), *again->next));
      settle();
      return;
    }
  std::vector<Press> presses;
  for (const std::string& row : rows) presses.push_back({row, stretch});
  placeJob_.begin({plan_, audio_, kind, std::move(presses)});
}

/// The song may have moved on since they were computed: rows may be gone, ids taken.
void Session::addPlaced(const std::vector<Ornament>& made) {
  std::vector<Ornament> fitting;
  for (const Ornament& o : made)
    if (song().hasRow(o.on)) fitting.push_back(o);
  if (fitting.empty()) return;
  const QString name = kindWord(fitting.front().kind);
  const QString label = fitting.size() == 1 ? name : tr("%1 on %2 rows").arg(name).arg(fitting.size());
  auto added = withOrnaments(song(), std::move(fitting));
  edit(label, std::move(added.song));
  settle();
  emit placed(asText(added.ids.front()));
}

// ---------------------------------------------------------------- what is found and measured

const std::vector<FrameRange>& Session::phrases(const std::string& row) const {
  static const std::vector<FrameRange> none;
  wanted_.insert(row);
  const auto it = found_.find(row);
  return it == found_.end() ? none : it->second->phrases;
}

const std::vector<Frames>& Session::onsets(const std::string& row) const {
  static const std::vector<Frames> none;
  wanted_.insert(row);
  const auto it = found_.find(row);
  return it == found_.end() ? none : it->second->onsets;
}

std::shared_ptr<const PeakPyramid> Session::rowPeaks(const std::string& row) const {
  const auto it = rowPeaks_.find(row);
  return it == rowPeaks_.end() ? nullptr : it->second.peaks;
}

/// Of every row that was asked for and whose sound under its ornaments is new; those of stems first.
void Session::startFinding() {
  FindInput in{plan_, {}};
  for (const RowNode& row : plan_->rows()) {
    if (!wanted_.contains(row.id)) continue;
    if (auto known = options_.findings->known(*plan_, row.id))
      found_[row.id] = std::move(known);
    else
      in.rows.push_back(row.id);
  }
  wanted_.clear();
  if (!in.rows.empty()) findJob_.begin(std::move(in));
}

void Session::startPeaks() {
  if (plan_) peaksJob_.begin({plan_, rowPeaks_});
}

void Session::wantSpectra(const std::string& ornament, std::size_t index) {
  if (plan_) spectraJob_.begin({plan_, audio_, ornament, index});
}

std::shared_ptr<const RenderPlan> Session::planWithoutChosen() const {
  return RenderPlan::make(withoutOrnaments(song(), chosen_), audio_, allKinds(), *cache_, plan_.get());
}

void Session::startFacts() {
  if (plan_) startFinding();
  if (plan_ && !chosen_.empty() && plan_->node(chosen_)) factsJob_.begin({plan_, planWithoutChosen(), chosen_});
}

void Session::exportTo(const fs::path& folder, const ExportOptions& options) {
  if (plan_) exportJob_.begin({plan_, folder, options});
}

void Session::cancelExport() {
  exportJob_.hurry();
}

// ---------------------------------------------------------------- listening

void Session::tell(const OutputNews& news) {
  const QString what = asText(news.detail);
  QString text;
  switch (news.what) {
  case OutputNews::What::noSound:
    text = tr("No sound: %1. A silent stand-in keeps time.").arg(what);
    break;
  case OutputNews::What::doesNotRun:
    text = tr("No sound: %1 does not run. A silent stand-in keeps time.").arg(what);
    break;
  case OutputNews::What::stopped:
    text = tr("Playing stopped: %1.").arg(what);
    break;
  case OutputNews::What::gone:
    text =
        what.isEmpty()
            ? tr("The sound device has gone; playing stopped. A silent stand-in keeps time until there is one again.")
            : tr("The sound device has gone; playing stopped. %1 is used from now on.").arg(what);
    break;
  }
  emit notice(text, true);
}

Beats Session::playBeat() const {
  const TempoMap& map = plan_->map();
  const Frames f = playback_.player().position();
  const Beats b = map.beatAt(f);
  return Beats::ofQuarters(b.quarters() + 0.5 * map.bpmAt(b) / 60 / map.sampleRate());
}

void Session::chooseOutput(const OutputChoice& choice) {
  if (choice == playback_.choice()) return;
  playback_.choose(choice);
  replaceOutput();
}

void Session::replaceOutput() {
  if (const auto news = playback_.replaceOutput()) tell(*news);
  if (!plan_) return;
  hearPlan();
  emit outputReplaced();
}

void Session::tick() {
  if (!plan_) return;
  pool_.setPlayhead(player().position());
  const auto news = playback_.look();
  if (!news) return;
  if (news->what == OutputNews::What::gone) { // another device: a player of its own
    hearPlan();
    emit outputReplaced();
  }
  tell(*news);
}

/// The player and the pool get the plan that is heard; the pool the song's own too.
void Session::hearPlan() {
  playback_.show(
      plan_, [this] { return planWithoutChosen(); }, pool_);
}

void Session::setOrnamentsHeard(bool on) {
  playback_.setOrnamentsHeard(on);
  if (plan_) hearPlan();
}

void Session::compareChosen() {
  const Ornament* o = song().ornament(chosen_);
  const Kind* kind = o ? allKinds().find(o->kind) : nullptr;
  Playback::Compared c{chosen_, !kind || kind->levelIsTheEffect()};
  if (facts_ && facts_->ornament == chosen_) {
    c.lufsWith = facts_->lufsWith;
    c.lufsWithout = facts_->lufsWithout;
  }
  playback_.compare(std::move(c));
}

void Session::choose(const std::string& ornament) {
  if (chosen_ == ornament) return;
  chosen_ = ornament;
  facts_.reset();
  compareChosen();
  if (!playback_.ornamentsHeard() && plan_) hearPlan();
  factsTimer_.start();
  emit factsChanged();
}

void Session::waitUntilIdle() {
  QEventLoop loop;
  for (;;) {
    loop.processEvents(QEventLoop::AllEvents);
    if (plan_) pool_.waitUntilIdle();
    loop.processEvents(QEventLoop::AllEvents);
    if (workers_.working() || progressPosted_) {
      loop.processEvents(QEventLoop::WaitForMoreEvents); // their end is an event
      continue;
    }
    // What waits for calm begins now.
    const bool peaks = peaksTimer_.isActive(), facts = factsTimer_.isActive();
    if (!peaks && !facts) return;
    peaksTimer_.stop();
    factsTimer_.stop();
    if (peaks) startPeaks();
    if (facts) startFacts();
  }
}

} // namespace ivrin::app
