#include "app/session/session.h"

#include "app/theme/ornament_look.h"
#include "dsp/spectrum.h"
#include "render/song_impulses.h"

#include "analysis/collisions.h"
#include "analysis/first_press.h"
#include "app/session/journal_writer.h"
#include "dsp/denormals.h"
#include "play/simulated_output.h"
#include "render/evaluator.h"
#include "render/facts.h"
#include "song/edits.h"
#include "song/safe_file.h"

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
    , store_(options_.cacheFolder)
    , output_(anyOutput())
    , pool_(kRenderThreads) {
  if (!options_.journalFolder.empty()) journal_ = std::make_unique<JournalWriter>();
  for (auto& [timer, ms] : {std::pair{&peaksTimer_, kPeaksAfterMs}, std::pair{&factsTimer_, kFactsAfterMs}}) {
    timer->setSingleShot(true);
    timer->setInterval(ms);
  }
  connect(&peaksTimer_, &QTimer::timeout, this, &Session::startRowPeaks);
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
  for (std::jthread* t : {&openJob_, &phraseJob_, &placeJob_, &peaksJob_, &factsJob_, &exportJob_}) {
    t->request_stop();
    if (t->joinable()) t->join();
  }
  retired_.clear(); // joins
  pool_.onProgress({});
  pool_.setPlan(nullptr);
  if (output_) output_->stop();
}

template <class Work> void Session::job(std::jthread& slot, Work work) {
  // The former work of this kind ends by itself; the window never waits for it.
  slot.request_stop();
  if (slot.joinable()) retired_.push_back(std::move(slot));
  ++jobs_;
  slot = std::jthread([this, work = std::move(work)](std::stop_token stop) mutable {
    const FlushDenormals guard;
    work(stop);
    post([this, self = std::this_thread::get_id()] {
      --jobs_;
      retired_.remove_if([&](const std::jthread& t) { return t.get_id() == self; });
    });
  });
}

QString Session::rowProblem(const std::string& row) const {
  const auto it = rowProblems_.find(row);
  return it == rowProblems_.end() ? QString() : it->second;
}

void Session::open(const fs::path& file) {
  const auto kinds = &allKinds();
  job(openJob_, [this, file, kinds](std::stop_token stop) {
    Problems problems;
    const auto report = [this](std::int64_t done, std::int64_t total) {
      post([this, f = static_cast<double>(done) / static_cast<double>(std::max<std::int64_t>(total, 1))] {
        emit progress(tr("Bringing in stems"), std::min(f, 0.999));
      });
    };
    auto opened = openSong(file, options_.reach, *kinds, store_, problems, stop, report);
    std::string why;
    const auto text = readWholeFile(file, kMaxSongBytes, why);
    // What the journal knows beyond the file.
    std::optional<Song> recoveredSong;
    if (opened && journal_) {
      Problems ignored;
      const auto j = readJournal(journalFor(options_.journalFolder, file), ignored);
      if (j && text && j->base == *text) recoveredSong = readSong(j->song, kinds->registry(), ignored);
      if (recoveredSong && *recoveredSong == opened->song) recoveredSong.reset();
      if (recoveredSong) {
        problems = {};
        opened->audio = SongAudio::open(*recoveredSong, opened->reach, store_, problems, kRenderThreads, stop);
      }
    }
    post([this, file, problems, opened = std::move(opened), recoveredSong = std::move(recoveredSong), text, stop] {
      if (stop.stop_requested()) return; // another file was asked for meanwhile
      emit progress({}, 1);
      if (!opened) {
        QString why2;
        for (const Problem& p : problems.list)
          why2 += (why2.isEmpty() ? QString() : QStringLiteral("\n")) + asText(p.text());
        emit notice(tr("%1 cannot be opened. %2").arg(asText(file.filename().string()), why2.section('\n', 0, 0)),
                    true);
        return;
      }
      savedText_ = text.value_or("");
      adopt(opened->song, opened->audio, opened->reach, problems, file, false);
      if (recoveredSong) {
        history_.edit("recovered edits", {}, *recoveredSong);
        replan();
        emit songChanged();
        emit recovered();
      }
    });
  });
}

void Session::begin(const std::vector<fs::path>& files, double bpm) {
  job(openJob_, [this, files, bpm](std::stop_token stop) {
    Problems problems;
    Song song = songFromFiles(files, {}, bpm, 0, store_, problems);
    for (Stem& s : song.stems) s.file = fs::absolute(*s.file).string();
    Reach reach;
    for (const fs::path& f : files) reach.allowed.push_back(fs::absolute(f).parent_path());
    SongAudio audio;
    if (!song.stems.empty())
      audio = SongAudio::open(
          song, reach, store_, problems, kRenderThreads, stop, [this](std::int64_t done, std::int64_t total) {
            post([this, f = static_cast<double>(done) / static_cast<double>(std::max<std::int64_t>(total, 1))] {
              emit progress(tr("Bringing in stems"), std::min(f, 0.999));
            });
          });
    post([this, song = std::move(song), audio = std::move(audio), reach, problems] {
      emit progress({}, 1);
      if (song.stems.empty()) {
        emit notice(problems.list.empty() ? tr("There is no audio in that.") : asText(problems.list.front().text()),
                    true);
        return;
      }
      savedText_.clear();
      adopt(song, audio, reach, problems, {}, true);
    });
  });
}

void Session::adopt(Song song, SongAudio audio, Reach reach, Problems problems, const fs::path& file, bool unsaved) {
  if (player_) player_->stop();
  history_ = History(std::move(song));
  if (!unsaved) history_.markSaved();
  audio_ = std::move(audio);
  reach_ = std::move(reach);
  file_ = file;
  rowProblems_.clear();
  phrases_.clear();
  onsets_.clear();
  rowPeaks_.clear();
  facts_.reset();
  chosen_.clear();
  heard_ = true;
  ++songSerial_;
  plan_.reset();
  int errors = 0;
  QString first, unreachable;
  for (const Problem& p : problems.list) {
    if (!p.isError) continue;
    if (errors++ == 0) first = asText(p.message);
    // "stems[3].file" names the row.
    if (p.place.starts_with("stems[")) {
      const auto i = static_cast<std::size_t>(std::strtoul(p.place.c_str() + 6, nullptr, 10));
      if (i < history_.song().stems.size()) {
        rowProblems_[history_.song().stems[i].id] = asText(p.message);
        if (p.id == ErrorId::out_of_reach && history_.song().stems[i].file)
          unreachable =
              asText(fs::weakly_canonical(reach_.songFolder / *history_.song().stems[i].file).parent_path().string());
      }
    }
  }
  startPlayer();
  replan();
  emit opened();
  if (!unreachable.isEmpty())
    emit outOfReach(unreachable);
  else if (errors > 0)
    emit notice(errors == 1 ? first : tr("%1 (and %2 more)").arg(first).arg(errors - 1), true);

  // Phrases of every row, the ones with stems first; they stay the same while the audio does.
  job(phraseJob_, [this, plan = plan_, serial = songSerial_](std::stop_token stop) {
    for (const RowNode& row : plan->rows()) {
      if (stop.stop_requested()) return;
      const RowReader reader = readerBeforeOrnaments(plan, row.id);
      const Frames end = plan->end(true);
      auto found = findPhrases(reader, {Frames(0), end}, plan->map().sampleRate());
      post([this, id = row.id, found = std::move(found), serial] {
        if (serial == songSerial_) phrases_[id] = found;
      });
      OnsetFinder finder(plan->map().sampleRate());
      StereoBuffer block(16384);
      for (Frames at(0); at < end && !stop.stop_requested(); at = at + Frames(block.frames())) {
        reader(at, block.span());
        finder.add(block.left(), block.right(), block.frames());
      }
      std::vector<Frames> attacks;
      for (const Onset& o : finder.finish()) attacks.emplace_back(o.frame);
      post([this, id = row.id, attacks = std::move(attacks), serial] {
        if (serial == songSerial_) onsets_[id] = attacks;
      });
    }
    post([this] { emit printsAdvanced(); });
  });
}

void Session::startPlayer() {
  const int rate = history_.song().sampleRate;
  output_->stop();
  player_ = std::make_unique<Player>(Player::Options{rate, output_->periodFrames(), !options_.stepped});
  if (auto* simulated = dynamic_cast<SimulatedOutput*>(output_.get()); simulated && options_.stepped)
    simulated->beforePeriod([this] { player_->pump(); });
  applyListening();
  if (const std::string why = output_->start(*player_, rate); !why.empty()) {
    emit notice(tr("No sound: %1. A silent stand-in keeps time.").arg(asText(why)), true);
    output_ = std::make_unique<SimulatedOutput>(SimulatedOutput::Mode::realTime, 256);
    output_->start(*player_, rate);
  }
}

Beats Session::playBeat() const {
  const TempoMap& map = plan_->map();
  const Frames f = player_->position();
  const Beats b = map.beatAt(f);
  return Beats::ofQuarters(b.quarters() + 0.5 * map.bpmAt(b) / 60 / map.sampleRate());
}

std::unique_ptr<Output> Session::anyOutput() const {
  std::unique_ptr<Output> made = options_.outputs ? options_.outputs->open(options_.output) : nullptr;
  // A chosen device that is not there today: the default one.
  if (!made && options_.outputs && !options_.output.device.empty())
    made = options_.outputs->open({{}, options_.output.sampleRate, options_.output.bufferFrames});
  if (!made) made = std::make_unique<SimulatedOutput>(SimulatedOutput::Mode::realTime, options_.output.bufferFrames);
  return made;
}

std::vector<OutputDevice> Session::outputDevices() const {
  return options_.outputs ? options_.outputs->devices() : std::vector<OutputDevice>();
}

void Session::chooseOutput(const OutputChoice& choice) {
  if (choice == options_.output) return;
  options_.output = choice;
  replaceOutput();
}

void Session::replaceOutput() {
  const Frames at = player_ ? player_->position() : Frames(0);
  output_->stop();
  output_ = anyOutput();
  if (!plan_) return;
  startPlayer();
  hearPlan();
  player_->setPosition(at);
  emit outputReplaced();
}

void Session::edit(const QString& label, Song next, const std::string& mergeKey) {
  history_.edit(label.toStdString(), mergeKey, std::move(next));
  replan();
  emit songChanged();
}

void Session::undo() {
  history_.undo();
  replan();
  emit songChanged();
}

void Session::redo() {
  history_.redo();
  replan();
  emit songChanged();
}

void Session::replan() {
  if (!chosen_.empty() && !song().ornament(chosen_)) {
    chosen_.clear();
    applyListening();
  }
  Problems problems;
  plan_ = RenderPlan::make(song(), audio_, allKinds(), *cache_, plan_.get(), &problems);
  pool_.setPlan(plan_);
  hearPlan();
  loadNewImpulses();
  if (journal_ && history_.changedSinceSave())
    journal_->write(journalFor(options_.journalFolder, file_),
                    file_.empty() ? std::string() : fs::absolute(file_).string(), savedText_, song());
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
  job(impulseJob_, [this, song = song(), reach = reach_, known, serial = songSerial_](std::stop_token stop) {
    Problems problems;
    auto loaded = loadImpulses(song, reach, store_, known, problems, stop);
    post([this, loaded = std::move(loaded), problems = std::move(problems), serial] {
      if (serial != songSerial_ || loaded == audio_.impulses()) return;
      audio_.setImpulses(loaded);
      replan();
      for (const Problem& p : problems.list) emit notice(asText(p.text()), p.isError);
    });
  });
}

std::string Session::pathFor(const fs::path& chosen) {
  const std::string path = pathForSong(chosen, reach_.songFolder);
  if (fs::path(path).is_absolute()) {
    reach_.allowed.push_back(chosen.parent_path());
    options_.reach.push_back(chosen.parent_path());
  }
  return path;
}

void Session::hearPlan() {
  auto plan = plan_;
  if (!heard_) plan = RenderPlan::make(withoutOrnaments(song(), chosen_), audio_, allKinds(), *cache_, plan_.get());
  player_->setPlan(std::move(plan));
}

void Session::setOrnamentsHeard(bool on) {
  heard_ = on;
  if (!plan_) return;
  hearPlan();
  applyListening();
}

void Session::setAlone(bool on) {
  alone_ = on;
  applyListening();
}

void Session::setMatched(bool on) {
  matched_ = on;
  applyListening();
}

double Session::matchDb() const {
  if (!matched_ || !facts_ || facts_->ornament != chosen_ || alone_) return 0;
  const Ornament* o = song().ornament(chosen_);
  const Kind* kind = o ? allKinds().find(o->kind) : nullptr;
  if (!kind || kind->levelIsTheEffect() || facts_->lufsWith < -70 || facts_->lufsWithout < -70) return 0;
  const double louder = facts_->lufsWith - facts_->lufsWithout; // with is louder by this
  return heard_ ? std::min(0.0, -louder) : std::min(0.0, louder);
}

void Session::applyListening() {
  if (!player_) return;
  player_->setAlone(alone_ ? chosen_ : std::string());
  player_->setMatchDb(matchDb());
}

void Session::choose(const std::string& ornament) {
  if (chosen_ == ornament) return;
  chosen_ = ornament;
  facts_.reset();
  if (!heard_ && plan_) hearPlan();
  factsTimer_.start();
  applyListening();
  emit factsChanged();
}

bool Session::save(const fs::path& file) {
  Song saved = song();
  const fs::path folder = fs::absolute(file).parent_path();
  for (Stem& s : saved.stems) // audio below the song's folder is named from there
    if (s.file)
      s.file = pathForSong(fs::path(*s.file).is_absolute() ? fs::path(*s.file) : reach_.songFolder / *s.file, folder);
  if (saved.title.empty()) saved.title = file.stem().string();
  const std::string text = writeSong(saved);
  std::string why;
  if (!replaceFile(file, text, why, 3)) {
    emit notice(tr("The song was not saved: %1").arg(asText(why)), true);
    return false;
  }
  const fs::path former = file_;
  history_.edit("save", {}, saved); // only when names of files changed
  file_ = fs::absolute(file);
  reach_.songFolder = folder;
  history_.markSaved();
  savedText_ = text;
  if (journal_) journal_->forget(journalFor(options_.journalFolder, former));
  emit songChanged();
  return true;
}

void Session::discardRecovered() {
  forgetEdits();
  open(file_);
}

void Session::forgetEdits() {
  if (journal_) journal_->forget(journalFor(options_.journalFolder, file_));
}

void Session::allowFolder(const fs::path& folder) {
  options_.reach.push_back(folder);
  if (!file_.empty()) open(file_);
}

const std::vector<FrameRange>& Session::phrases(const std::string& row) const {
  static const std::vector<FrameRange> none;
  const auto it = phrases_.find(row);
  return it == phrases_.end() ? none : it->second;
}

std::shared_ptr<const PeakPyramid> Session::rowPeaks(const std::string& row) const {
  const auto it = rowPeaks_.find(row);
  return it == rowPeaks_.end() ? nullptr : it->second;
}

const std::vector<Frames>& Session::onsets(const std::string& row) const {
  static const std::vector<Frames> none;
  const auto it = onsets_.find(row);
  return it == onsets_.end() ? none : it->second;
}

void Session::place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch) {
  if (!plan_ || rows.empty() || stretch.length().ticks <= 0) return;
  if (rows.size() == 1)
    if (const auto again = pressedAgain(song(), kind, rows.front(), stretch)) {
      if (*again == *song().ornament(again->id)) {
        emit notice(tr("There is no landing after it to move it to"), false);
        return;
      }
      edit((kind == "tape"       ? tr("shape of %1")
            : kind == "halftime" ? tr("pitch of %1")
                                 : tr("landing of %1"))
               .arg(kindWord(kind)),
           withOrnamentReplaced(song(), *again));
      settle();
      return;
    }
  job(placeJob_, [this, plan = plan_, kind, rows, stretch, known = phrases_](std::stop_token) {
    std::vector<Ornament> made;
    for (const std::string& row : rows) {
      Listening l;
      l.before = [plan](const std::string& r) { return readerBeforeOrnaments(plan, r); };
      const auto found = known.find(row);
      l.phrases = found != known.end()
                      ? found->second
                      : findPhrases(l.before(row), {Frames(0), plan->end(true)}, plan->map().sampleRate());
      made.push_back(ivrin::place(allKinds(), kind, plan->song(), row, stretch, l));
    }
    post([this, made = std::move(made)]() mutable {
      Song next = song();
      QString first;
      for (Ornament& o : made) {
        if (!next.hasRow(o.on)) continue;
        o.id = freshOrnamentId(next); // the song may have moved on
        if (first.isEmpty()) first = asText(o.id);
        next = withOrnament(std::move(next), std::move(o));
      }
      if (first.isEmpty()) return;
      const QString name = kindWord(next.ornament(first.toStdString())->kind);
      edit(made.size() == 1 ? name : tr("%1 on %2 rows").arg(name).arg(made.size()), std::move(next));
      settle();
      emit placed(first);
    });
  });
}

void Session::wantSpectra(const std::string& ornament, std::size_t index) {
  const Ornament* found = song().ornament(ornament);
  if (!plan_ || !found || index >= found->finish.size()) return;
  Ornament before = *found, after = *found;
  before.finish.resize(index);
  after.finish.resize(index + 1);
  before.enabled = after.enabled = true;
  job(spectraJob_, [this, plan = plan_, audio = audio_, before = std::move(before), after = std::move(after), ornament,
                    index, serial = songSerial_](std::stop_token stop) {
    const auto measured = [&](const Ornament& o) {
      const auto trial =
          RenderPlan::make(withOrnamentReplaced(plan->song(), o), audio, allKinds(), *cache_, plan.get());
      const auto node = trial->node(o.id);
      if (!node || !node->print || !node->print->ensure(*trial, *node, node->print->end(), stop))
        return std::vector<float>();
      StereoBuffer b(node->print->extent().length());
      node->print->addTo(node->print->first(), b.span());
      return bandLevels(b, trial->map().sampleRate(), 96);
    };
    FinishSpectra s{ornament, index, measured(before), {}};
    if (!stop.stop_requested()) s.after = measured(after);
    if (stop.stop_requested()) return;
    post([this, s = std::move(s), serial]() mutable {
      if (serial != songSerial_) return;
      spectra_ = std::move(s);
      emit spectraChanged();
    });
  });
}

void Session::startRowPeaks() {
  if (!plan_) return;
  job(peaksJob_, [this, plan = plan_, serial = songSerial_](std::stop_token stop) {
    std::map<std::string, std::shared_ptr<const PeakPyramid>> made;
    constexpr std::int64_t kBlock = 16384;
    StereoBuffer block(kBlock);
    const Frames end = plan->end(true);
    for (std::size_t r = 0; r < plan->rows().size(); ++r) {
      const RowNode& row = plan->rows()[r];
      if (row.type == RowNode::Type::stem) continue;
      Evaluator evaluator(*plan, Evaluator::Missing::takeReady);
      auto peaks = std::make_shared<PeakPyramid>();
      for (std::int64_t at = 0; at < end.count; at += kBlock) {
        if (stop.stop_requested()) return;
        const StereoSpan part = block.span().part(0, std::min(kBlock, end.count - at));
        evaluator.rowOut(r, Frames(at), part);
        peaks->append(part.left, part.right, part.frames);
      }
      peaks->finish();
      made[row.id] = std::move(peaks);
    }
    post([this, made = std::move(made), serial, stop] {
      if (serial != songSerial_ || stop.stop_requested()) return;
      rowPeaks_ = made;
      emit rowPeaksReady();
    });
  });
}

void Session::startFacts() {
  if (!plan_ || chosen_.empty()) return;
  const auto node = plan_->node(chosen_);
  if (!node) return;
  auto without = RenderPlan::make(withoutOrnaments(song(), chosen_), audio_, allKinds(), *cache_, plan_.get());
  job(factsJob_, [this, plan = plan_, node, without, serial = songSerial_, id = chosen_,
                  phrases = phrases(node->ornament->on)](std::stop_token stop) {
    const OrnamentFacts f = factsOf(*plan, *node, *without, stop);
    if (stop.stop_requested()) return;
    ChosenFacts c{
        id, f.lufsWith, f.lufsWithout, f.peakDbfs, f.lowsAddedDb, plan->map().beatAt(f.extent.end), f.loop, {}, {}, {}};
    if (!node->plan.dry.isOne()) { // it takes the row's place: how it leaves and meets it
      Evaluator rows(*plan, Evaluator::Missing::compute);
      Planes planes;
      const std::int64_t half = std::llround(0.002 * plan->map().sampleRate());
      for (const Frames at : {f.extent.begin, f.extent.end}) {
        rows.planes(node->row, at - Frames(half), 2 * half, planes);
        Seam seam{at, std::vector<float>(static_cast<std::size_t>(2 * half))};
        for (std::int64_t i = 0; i < 2 * half; ++i) {
          float both = planes.dry.left()[i] + planes.dry.right()[i];
          if (planes.wetSounds) both += planes.wet.left()[i] + planes.wet.right()[i];
          seam.row[static_cast<std::size_t>(i)] = both / 2;
        }
        c.seams.push_back(std::move(seam));
      }
    }
    if (node->print) {
      c.collisions = findCollisions(readerOfPrint(node), f.extent, plan->map().frames(node->ornament->span()),
                                    readerBeforeOrnaments(plan, node->ornament->on), phrases, plan->map().sampleRate());
      if (!node->print->note().empty()) c.notes.push_back(node->print->note());
    }
    post([this, c = std::move(c), serial, stop] {
      if (serial != songSerial_ || stop.stop_requested() || c.ornament != chosen_) return;
      facts_ = c;
      applyListening();
      emit factsChanged();
    });
  });
}

void Session::exportTo(const fs::path& folder, const ExportOptions& options) {
  if (!plan_) return;
  job(exportJob_, [this, plan = plan_, folder, options](std::stop_token stop) {
    try {
      const ExportReport report = exportSong(plan, folder, options, stop, [this](double f, const std::string& what) {
        post([this, f, text = asText(what)] { emit progress(text, std::min(f, 0.999)); });
      });
      QString text = report.stopped ? tr("Export cancelled; nothing half written was left.")
                     : report.files.size() == 1
                         ? tr("1 file written to %1").arg(asText(folder.string()))
                         : tr("%1 files written to %2").arg(report.files.size()).arg(asText(folder.string()));
      for (const auto& n : report.notes) text += QStringLiteral(" · ") + asText(n);
      post([this, text, ok = !report.stopped] {
        emit progress({}, 1);
        emit exported(text, ok);
      });
    } catch (const std::exception& e) {
      post([this, text = tr("The export stopped: %1").arg(QString::fromUtf8(e.what()))] {
        emit progress({}, 1);
        emit exported(text, false);
      });
    }
  });
}

void Session::cancelExport() {
  exportJob_.request_stop();
}

void Session::waitUntilIdle() {
  QEventLoop loop;
  for (;;) {
    loop.processEvents(QEventLoop::AllEvents, 10);
    if (plan_) pool_.waitUntilIdle();
    loop.processEvents(QEventLoop::AllEvents, 10);
    if (jobs_ == 0 && !peaksTimer_.isActive() && !factsTimer_.isActive() && !progressPosted_) return;
  }
}

} // namespace ivrin::app
