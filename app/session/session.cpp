#include "app/session/session.h"

#include "app/session/as_text.h"
#include "app/theme/ornament_look.h"
#include "manners/lead.h"
#include "manners/said_of_press.h"
#include "render/facts.h"
#include "render/song_impulses.h"
#include "services/hearing.h"
#include "services/memory.h"
#include "song/edits.h"
#include "song/limits.h"
#include "time/give_way.h"
#include "time/note_value.h"
#include "time/song_place.h"

#include <QCoreApplication>
#include <QEventLoop>

#include <algorithm>
#include <chrono>
#include <tuple>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {
constexpr std::chrono::milliseconds kPartsApart{250}; // of a recipe that is being placed

constexpr std::int64_t kPrintMemory = std::int64_t{384} << 20; // of prints; beyond it they are kept in the cache folder
constexpr int kRenderThreads = 2, kImportThreads = 2;
constexpr int kPeaksAfterMs = 150, kFactsAfterMs = 120, kVerifyAfterMs = 2000,
              kFilesAfterMs = 500, // of quiet: who exports writes for a while
    kDevicesEveryMs = 1000;

} // namespace

namespace {
Session::Options complete(Session::Options o) {
  if (!o.findings) o.findings = std::make_shared<Findings>(Findings::Options{o.cacheFolder, true});
  return o;
}
} // namespace

Session::Session(Options options)
    : options_(complete(std::move(options)))
    , document_(allKinds().registry(), options_.journalFolder,
                [this](const std::string& why) {
                  post([this, why] {
                    unprotected_ = !why.empty();
                    emit protectionChanged();
                    if (unprotected_) emit notice(tr("Autosave failed: %1. Save the song now.").arg(asText(why)), true);
                  });
                })
    , store_(options_.cacheFolder)
    , playback_(options_.playback)
    , pool_(kRenderThreads)
    , chunks_(std::make_shared<ChunkStore>(ChunkStore::Options{kPrintMemory, options_.cacheFolder}))
    , cache_(std::make_shared<PrintCache>(PrintCache::Budget(), chunks_))
    , workers_([this](std::function<void()> f) { post(std::move(f)); },
               [this](const std::string& why) {
                 emit progress({}, 1);
                 emit notice(tr("Something went wrong: %1").arg(asText(why)), true);
               })
    , openJob_(
          workers_,
          [this](const OpenInput& in, const Run& run) {
            if (!in.left.empty()) return openLeft(in.left, in.places, store_, run.stop, reportImport(run));
            return in.fresh ? beginDocument(in.files, in.bpm, store_, run.stop, reportImport(run))
                            : openDocument(in.files.front(), in.places, store_, run.stop, reportImport(run));
          },
          [this](OpenedDocument d) { takeOpened(std::move(d)); })
    , deviceJob_(
          workers_, [](const std::shared_ptr<OutputSource>& outputs, const Run&) { return outputs->devices(); },
          [this](const std::vector<OutputDevice>& there) { takeDevices(there); })
    , tidyJob_(
          workers_,
          [](int, const Run&) {
            giveWay();
            giveMemoryBack();
            return 0;
          },
          [](int) {})
    , leftJob_(
          workers_, [](const fs::path& folder, const Run&) { return leftWithoutFile(folder); },
          [this](const LeftFound& left) {
            std::erase_if(left_, [](const LeftEdits& l) { return l.file.empty(); });
            left_.insert(left_.end(), left.edits.begin(), left.edits.end());
            if (!left.edits.empty()) emit leftOffered();
            for (const Problem& p : left.journals.list) emit notice(asText(p.message), true);
          })
    , audioJob_(
          workers_,
          [this](const AudioInput& in, const Run& run) {
            AudioFound found;
            found.audio = SongAudio::open(in.song, in.folders, store_, found.problems, kImportThreads, run.stop,
                                          reportImport(run), &in.known);
            return found;
          },
          [this](AudioFound found) { takeAudio(std::move(found)); })
    , verifyJob_(
          workers_,
          [this](const SongAudio& audio, const Run& run) {
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
          workers_,
          [this](const LookInput& in, const Run& run) {
            LookFound found;
            found.of = in.stems.size();
            if (in.isFolder) {
              found.stems =
                  findStems(in.song, in.stems, in.where, store_, run.stop, [&](std::int64_t i, std::int64_t n) {
                    run.report([this, f = static_cast<double>(i) / static_cast<double>(n)] {
                      emit progress(tr("Looking for stems"), std::min(f, 0.999));
                    });
                  });
            } else if (auto one = stemAt(in.song, in.stems.front(), in.where, store_, found.problems, run.stop)) {
              found.stems.push_back(std::move(*one));
            }
            return found;
          },
          [this](LookFound found) { takeFound(std::move(found)); })
    , spectraJob_(
          workers_,
          [this](const SpectraInput& in, const Run& run) {
            return measureFinish(*in.plan, in.audio, *in.cache, in.ornament, in.index, run.stop);
          },
          [this](std::optional<FinishSpectra> s) {
            if (!s) return;
            spectra_ = std::move(s);
            emit spectraChanged();
          })
    , addJob_(
          workers_,
          [this](const AddInput& in, const Run& run) {
            Added added;
            NewStems made = stemsFromFiles(in.files, in.song, store_, added.problems, run.stop);
            added.stems = std::move(made.stems);
            added.apart = made.apart;
            return added;
          },
          [this](Added added) { takeAdded(std::move(added)); })
    , gridJob_(
          workers_,
          [](const GridInput& in, const Run& run) -> std::optional<FoundGrid> {
            giveWay();
            FoundGrid found = findGrid(in.song, in.audio, kRenderThreads, run.stop);
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundGrid> found) {
            if (found) emit gridFound(*found);
          })
    , midiJob_(
          workers_,
          [](const fs::path& file, const Run&) {
            MidiRead read{file.filename().string(), {}, {}};
            read.map = readMidiFile(file, read.problems);
            return read;
          },
          [this](const MidiRead& read) { emit midiRead(read); })
    , reexportJob_(
          workers_,
          [this](const ReexportInput& in, const Run& run) {
            giveWay();
            return writtenAnew(in.song, in.digests, store_, run.stop);
          },
          [this](const std::map<std::string, std::string>& anew) {
            std::vector<std::string> stems;
            for (const auto& [id, digest] : anew)
              if (std::exchange(offeredAnew_[id], digest) != digest) stems.push_back(id);
            if (!stems.empty()) offerReexports(stems);
          })
    , openingsJob_(
          workers_,
          [this](const OpeningsInput& in, const Run& run) -> std::optional<FoundIn<Opening>> {
            giveWay();
            FoundIn<Opening> found{in.plan->song(),
                                   openingsOf(in.plan, in.rows, *options_.findings, kRenderThreads, run.stop)};
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundIn<Opening>> found) {
            if (!found) return;
            openings_ = std::move(found);
            emit openingsReady();
          })
    , sectionsJob_(
          workers_,
          [this](const std::shared_ptr<const RenderPlan>& plan,
                 const Run& run) -> std::optional<FoundIn<FoundSection>> {
            giveWay();
            FoundIn<FoundSection> found{plan->song(), sectionsOf(plan, *options_.findings, kRenderThreads, run.stop)};
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundIn<FoundSection>> found) {
            if (!found) return;
            sections_ = std::move(found);
            emit sectionsProposed();
          })
    , findJob_(
          workers_,
          [this](const FindInput& in, const Run& run) {
            giveWay();
            for (const std::string& row : in.rows)
              if (auto found = options_.findings->of(in.plan, row, run.stop))
                run.report([this, row, found] { found_[row] = found; });
            return 0;
          },
          [this](int) { emit printsAdvanced(); })
    , placeJob_(
          workers_,
          [this](const PlaceInput& in, const Run& run) {
            PlacedSeveral made = placeSeveral(allKinds(), in.kind, in.plan->song(), in.presses,
                                              hearing(in.plan, in.audio, in.cache, *options_.findings, run.stop));
            const QString said =
                made.heard.size() == 1
                    ? asText(saidOfPress(made.heard.front(),
                                         [&map = in.plan->map()](Beats b) {
                                           return barText(map, snapToGrid(b, Beats(kTicksPerQuarter / 4), map));
                                         }))
                    : QString();
            return Placing{std::move(made.placed), in.after, asText(made.refusal), said};
          },
          [this](const Placing& placing) { addPlaced(placing); })
    , recipeJob_(
          workers_,
          [this](const RecipeInput& in, const Run& run) -> std::optional<RecipeMade> {
            giveWay();
            // The first part at once, then no more often than a listener follows: each is an edit for the window.
            std::optional<std::chrono::steady_clock::time_point> told;
            const auto part = [&](const Song& so, const std::vector<std::string>& placed) {
              const auto now = std::chrono::steady_clock::now();
              if (told && now - *told < kPartsApart) return;
              told = now;
              run.report([this, so, placed] { emit recipePartPlaced(so, placed); });
            };
            RecipeMade made = applied(allKinds(), in.recipe, in.base->song(), in.landing, in.options,
                                      hearing(in.base, in.audio, in.cache, *options_.findings, run.stop), part);
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(made));
          },
          [this](std::optional<RecipeMade> made) {
            if (made) emit recipeMade(*made);
          })
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
              QString text = report.stopped
                                 ? tr("Export cancelled; nothing half written was left.")
                                 : tr("%n file(s) written to %1", nullptr, static_cast<int>(report.files.size()))
                                       .arg(asText(in.folder.string()));
              if (!in.audio.damaged().empty()) // silence stood for what was not there
                return {tr("The export was made from a damaged copy of a stem. It is brought in anew: export again."),
                        false};
              for (const auto& n : report.notes) text += QStringLiteral(" · ") + asText(n);
              return {text, !report.stopped};
            } catch (const std::exception& e) {
              return {tr("The export stopped: %1").arg(QString::fromUtf8(e.what())), false};
            }
          },
          [this](std::pair<QString, bool> done) {
            exports_.pop_front();
            emit progress({}, 1);
            emit exported(done.first, done.second);
            nextExport();
          }) {
  for (auto& [timer, ms] : {std::pair{&peaksTimer_, kPeaksAfterMs}, std::pair{&factsTimer_, kFactsAfterMs},
                            std::pair{&verifyTimer_, kVerifyAfterMs}, std::pair{&filesTimer_, kFilesAfterMs}}) {
    timer->setSingleShot(true);
    timer->setInterval(ms);
  }
  deviceTimer_.setInterval(kDevicesEveryMs);
  connect(&deviceTimer_, &QTimer::timeout, this, &Session::lookForDevice);
  connect(&peaksTimer_, &QTimer::timeout, this, &Session::startPeaks);
  connect(&factsTimer_, &QTimer::timeout, this, &Session::startFacts);
  connect(&verifyTimer_, &QTimer::timeout, this, &Session::startVerifying);
  connect(&filesTimer_, &QTimer::timeout, this, &Session::lookForReexports);
  connect(&files_, &QFileSystemWatcher::fileChanged, this, [this] { filesTimer_.start(); });
  connect(&files_, &QFileSystemWatcher::directoryChanged, this, [this] { filesTimer_.start(); });
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

// ---------------------------------------------------------------- editing

void Session::edit(const QString& label, Song next, const std::string& mergeKey) {
  if (const std::string why = document_.whyNot(next); !why.empty()) {
    emit notice(tr("Edit failed: “%1” %2.").arg(label, asText(why)), true);
    return;
  }
  // Room before the song for what sounds there. While one edit goes on, as much as it needs and no more.
  if (mergeKey.empty() || mergeKey != leadKey_) leadBefore_ = song().leadBars;
  leadKey_ = mergeKey;
  const int was = song().leadBars;
  if (plan_ && next.leadBars == was)
    if (Song roomy = withRoomBefore(song(), next, leadBefore_, plan_->context().impulses);
        roomy.leadBars != next.leadBars && document_.whyNot(roomy).empty()) // else it is faded in, as anywhere else
      next = std::move(roomy);
  const int now = next.leadBars;
  document_.edit(label.toStdString(), std::move(next), mergeKey);
  songEdited();
  if (now > was && now > leadBefore_)
    emit notice(tr("The song starts %n bar(s) before its stems now, so that all of it is heard.", nullptr, now), false);
}

void Session::settle() {
  document_.settle();
  leadKey_.clear();
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
  if (!watchesAll()) watchStems();
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
  loadNewAudio();
  peaksTimer_.start();
  factsTimer_.start();
  emit planChanged();
  for (const Problem& p : problems.list) emit notice(asText(p.text()), true);
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
  placeJob_.begin({plan_, audio_, kind, std::move(presses), cache_});
}

namespace {
/// What is found in the stems' sound at places of the grid stays so.
bool soundsAlike(const Song& a, const Song& b) {
  return std::equal(a.stems.begin(), a.stems.end(), b.stems.begin(), b.stems.end(),
                    [](const Stem& x, const Stem& y) {
                      return x.id == y.id && x.file == y.file && x.digest == y.digest &&
                             x.offsetSeconds == y.offsetSeconds;
                    }) &&
         a.tempo == b.tempo && a.meter == b.meter && a.startSeconds == b.startSeconds;
}
} // namespace

const std::vector<Opening>* Session::openings() const {
  if (!openings_) return nullptr;
  const Song &was = openings_->of, &is = song();
  const auto onBuses = [](const Song& s) {
    std::vector<std::tuple<std::string, std::optional<std::string>, std::optional<RowRole>>> rows;
    for (const Stem& own : s.stems) rows.emplace_back(own.id, own.bus, own.role);
    for (const Bus& b : s.buses) rows.emplace_back(b.id, std::nullopt, b.role);
    return rows;
  };
  // Levels in the mix change no place.
  const bool same =
      soundsAlike(was, is) && onBuses(was) == onBuses(is) && was.sections == is.sections && was.landings == is.landings;
  return same ? &openings_->all : nullptr;
}

std::vector<FoundSection> Session::proposedSections() const {
  if (!sections_ || !soundsAlike(sections_->of, song())) return {};
  return withoutOwn(sections_->all, song());
}

void Session::lookForSections() {
  if (plan_) sectionsJob_.begin(plan_);
}

void Session::letSectionsGo() {
  sections_.reset();
  emit sectionsProposed();
}

void Session::lookForOpenings() {
  if (plan_) openingsJob_.begin({plan_, song().rowsInScoreOrder()});
}

void Session::lookForGrid() {
  if (plan_) gridJob_.begin({song(), audio_});
}

void Session::placeAfter(const std::string& kind, const Ornament& former, BeatRange stretch) {
  if (plan_ && stretch.length().ticks > 0)
    placeJob_.begin({plan_, audio_, kind, {{former.on, stretch}}, cache_, former.id});
}

void Session::tryRecipe(const std::shared_ptr<const RenderPlan>& base, const Recipe& recipe, const std::string& landing,
                        const RecipeOptions& options) {
  if (base) recipeJob_.begin({base, audio_, recipe, landing, options, cache_});
}

/// The song may have moved on since they were computed: rows may be gone, ids taken.
void Session::addPlaced(const Placing& placing) {
  std::vector<Ornament> fitting;
  for (const Ornament& o : placing.made)
    if (song().hasRow(o.on)) fitting.push_back(o);
  if (fitting.empty()) {
    if (!placing.refusal.isEmpty()) emit notice(placing.refusal, false);
    return;
  }
  const QString name = kindWord(fitting.front().kind);
  const QString label =
      fitting.size() == 1 ? name : tr("%1 on %n row(s)", nullptr, static_cast<int>(fitting.size())).arg(name);
  Song next = song();
  if (const Ornament* former = next.ornament(placing.after); former && !former->landing && fitting.front().landing) {
    Ornament tied = *former;
    tied.landing = fitting.front().landing;
    next = withOrnamentReplaced(std::move(next), std::move(tied));
  }
  auto added = withOrnaments(std::move(next), std::move(fitting));
  const int lead = song().leadBars;
  edit(label, std::move(added.song));
  settle();
  if (!song().ornament(added.ids.front())) return;
  emit placed(asText(added.ids.front()));
  // Unless there was something to say that matters more.
  if (!placing.said.isEmpty() && song().leadBars == lead)
    emit notice(placing.said.left(1).toUpper() + placing.said.mid(1), false);
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
  if (plan_) spectraJob_.begin({plan_, audio_, ornament, index, cache_});
}

std::shared_ptr<const RenderPlan> Session::planWithoutChosen() const {
  return RenderPlan::make(withoutOrnaments(song(), chosen_), audio_, allKinds(), *cache_, plan_.get());
}

void Session::startFacts() {
  if (plan_) startFinding();
  if (plan_ && !chosen_.empty() && plan_->node(chosen_)) factsJob_.begin({plan_, planWithoutChosen(), chosen_});
}

// ---------------------------------------------------------------- listening

void Session::tell(const OutputNews& news) {
  const QString what = asText(news.detail);
  QString text;
  switch (news.what) {
  case OutputNews::What::noSound:
    text = tr("No sound: %1. Playback is running silently.").arg(what);
    break;
  case OutputNews::What::doesNotRun:
    text = tr("No sound: %1 does not run. Playback is running silently.").arg(what);
    break;
  case OutputNews::What::stopped:
    text = tr("Playing stopped: %1.").arg(what);
    break;
  case OutputNews::What::gone:
    text = what.isEmpty() ? tr("No sound: the sound device has gone, and playing stopped. Ivrin takes it up again when "
                               "it is back.")
                          : tr("The sound device has gone, and playing stopped. %1 is used from now on.").arg(what);
    break;
  case OutputNews::What::back:
    text = tr("Sound is back through %1.").arg(what);
    break;
  }
  emit notice(text, news.what != OutputNews::What::back);
  watchDevices();
}

void Session::watchDevices() {
  if (noSound()) deviceTimer_.start();
}

void Session::lookForDevice() {
  if (!noSound())
    deviceTimer_.stop();
  else if (!deviceJob_.running())
    deviceJob_.begin(playback_.outputs());
}

void Session::takeDevices(const std::vector<OutputDevice>& there) {
  const auto news = playback_.tryAgain(there);
  if (!news) return;
  if (plan_) hearPlan();
  emit outputReplaced();
  tell(*news);
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
  watchDevices();
  if (!plan_) return;
  hearPlan();
  emit outputReplaced();
}

void Session::tick() {
  if (!plan_) return;
  if (const auto damaged = audio_.damaged(); !damaged.empty()) dropDamaged(damaged);
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

bool Session::soundsWide(const std::vector<std::string>& rows) const {
  const auto isOn = [&](const std::string& row) { return std::find(rows.begin(), rows.end(), row) != rows.end(); };
  const auto under = [&](const Stem& s) { return isOn(s.id) || (s.bus && isOn(*s.bus)) || isOn(kMixRow); };
  const auto& stems = song().stems;
  if (std::any_of(stems.begin(), stems.end(), [&](const Stem& s) {
        const auto audio = audio_.of(s.id);
        return under(s) && ((audio && audio->channels() > 1) || (!isOn(s.id) && s.mix.pan != 0));
      }))
    return true;
  const auto& all = song().ornaments;
  return std::any_of(all.begin(), all.end(), [&](const auto& o) {
    const auto stem = std::find_if(stems.begin(), stems.end(), [&](const Stem& s) { return s.id == o->on; });
    return isOn(o->on) || isOn(kMixRow) || (stem != stems.end() && under(*stem));
  });
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

Session::Kept Session::kept() const {
  Kept k;
  k.prints = chunks_->bytesInMemory();
  k.printsInFile = chunks_->bytesInFile();
  k.undo = history().bytes();
  for (const auto& [row, made] : rowPeaks_)
    if (made.peaks) k.peaks += made.peaks->bytes();
  k.found = options_.findings->bytes();
  return k;
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
    const bool peaks = peaksTimer_.isActive(), facts = factsTimer_.isActive(), verify = verifyTimer_.isActive();
    if (!peaks && !facts && !verify) return;
    peaksTimer_.stop();
    factsTimer_.stop();
    verifyTimer_.stop();
    if (peaks) startPeaks();
    if (facts) startFacts();
    if (verify) startVerifying();
  }
}

} // namespace ivrin::app
