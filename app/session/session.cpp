#include "app/session/session.h"

#include "app/words/as_text.h"
#include "manners/lead.h"
#include "manners/runaway.h"
#include "song/edits.h"
#include "song/limits.h"

#include <QEventLoop>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr std::int64_t kPrintMemory = std::int64_t{384} << 20; // of prints; beyond it they are kept in the cache folder
constexpr int kRenderThreads = 2;

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
                 emit notice(tr("Ivrin could not finish this: %1. Your song is unchanged.").arg(asText(why)), true);
               })
    , outputs_(std::make_unique<OutputWatch>(*this, playback_))
    , stems_(std::make_unique<SongStems>(*this))
    , rows_(std::make_unique<RowFacts>(*this))
    , findings_(std::make_unique<SongFindings>(*this))
    , placing_(std::make_unique<Placing>(*this))
    , exports_(std::make_unique<Exports>(*this))
    , files_(std::make_unique<SongFiles>(*this)) {
  pool_.onProgress([this] {
    if (progressPosted_.exchange(true)) return;
    post([this] {
      progressPosted_ = false;
      if (!plan_) return;
      emit printsAdvanced();
      rows_->printsAdvanced();
    });
  });
}

Session::~Session() {
  pool_.onProgress({});
  pool_.setPlans({});
}

Told Session::showProgress(const QString& what) {
  return [this, what](double fraction) { emit progress(what, std::min(fraction, 0.999)); };
}

void Session::adopt(OpenedSong one, SongPlace place, const Problems& problems) {
  if (playback_.begun()) player().stop();
  // What is under way belongs to the song that was open.
  stems_->clear();
  rows_->clear();
  findings_->clear();
  placing_->clear();
  document_.adopt(std::move(one.song), one.folders, std::move(place));
  audio_ = std::move(one.audio);
  chosen_.clear();
  plan_.reset();
  forgetPrints(); // nothing of the former song is kept
  stems_->takeProblems(problems);
  rows_->wantAll();
  outputs_->begin(song().sampleRate);
  compareChosen();
  replan();
  stems_->begin();
  emit opened();
}

void Session::bringBack(Song state, std::unique_ptr<JournalPlace> journal, int edits) {
  document_.bringBack(std::move(state), std::move(journal), edits);
  songEdited();
}

void Session::takeAudio(SongAudio audio, bool stems) {
  audio_ = std::move(audio);
  if (stems) plan_.reset(); // it was made with another sound
  replan();
}

void Session::forgetPrints() {
  cache_ = std::make_shared<PrintCache>(PrintCache::Budget(), chunks_);
}

void Session::tryFailedAgain() {
  if (plan_ && plan_->anyFailed()) replan();
}

// ---------------------------------------------------------------- editing

/// What would grow without end is given one; while one edit goes on, only for as long as it needs it. Where that is, in
/// words; nothing where nothing was given one now.
QString Session::giveEnds(Song& next, const std::string& mergeKey) {
  if (mergeKey.empty() || mergeKey != mergeKey_) ended_.clear();
  for (const std::string& id : ended_) next = withEndTakenBack(song(), std::move(next), id);
  const std::size_t before = ended_.size();
  next = withRunawaysEnded(song(), std::move(next), &ended_);
  if (ended_.size() == before) return {};
  const Ornament& o = *next.ornament(ended_.back());
  const Beats end = o.start + Beats::ofQuarters(*o.settings.at("cut_at").number());
  const auto landing = next.landingAfter(end - Beats(1));
  return landing && landing->at == end && !landing->name.empty() ? asText(landing->name)
                                                                 : tr("bar %1").arg(next.tempoMap().barAt(end).bar);
}

void Session::edit(const QString& label, Song next, const std::string& mergeKey) {
  if (const std::string why = document_.whyNot(next); !why.empty()) {
    emit notice(tr("Edit failed: “%1” %2.").arg(label, asText(why)), true);
    return;
  }
  const QString cutAt = giveEnds(next, mergeKey);
  // Room before the song for what sounds there. While one edit goes on, as much as it needs and no more.
  if (mergeKey.empty() || mergeKey != mergeKey_) leadBefore_ = song().leadBars;
  mergeKey_ = mergeKey;
  const int was = song().leadBars;
  if (plan_ && next.leadBars == was)
    if (Song roomy = withRoomBefore(song(), next, leadBefore_, plan_->context().impulses);
        roomy.leadBars != next.leadBars && document_.whyNot(roomy).empty()) // else it is faded in, as anywhere else
      next = std::move(roomy);
  const int now = next.leadBars;
  document_.edit(label.toStdString(), std::move(next), mergeKey);
  songEdited();
  if (!cutAt.isEmpty())
    emit notice(tr("Feedback over 100 % does not fade out on its own, so it is now cut at %1.").arg(cutAt), false);
  if (now > was && now > leadBefore_)
    emit notice(tr("Added %n bar(s) before the stems, so that the whole lead-in is heard.", nullptr, now), false);
}

void Session::settle() {
  document_.settle();
  mergeKey_.clear();
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
  stems_->songEdited();
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
  stems_->planMade();
  rows_->planMade();
  emit planChanged();
  for (const Problem& p : problems.list) emit notice(asText(p.text()), true);
}

std::shared_ptr<const RenderPlan> Session::planWithoutChosen() const {
  return RenderPlan::make(withoutOrnaments(song(), chosen_), audio_, allKinds(), *cache_, plan_.get());
}

// ---------------------------------------------------------------- listening

Beats Session::playBeat() const {
  const TempoMap& map = plan_->map();
  const Frames f = playback_.player().position();
  const Beats b = map.beatAt(f);
  return Beats::ofQuarters(b.quarters() + 0.5 * map.bpmAt(b) / 60 / map.sampleRate());
}

void Session::tick() {
  if (!plan_) return;
  if (const auto damaged = audio_.damaged(); !damaged.empty()) stems_->dropDamaged(damaged);
  pool_.setPlayhead(player().position());
  outputs_->look();
}

void Session::hearPlan() {
  if (!plan_) return;
  playback_.show(
      plan_, [this] { return planWithoutChosen(); }, pool_);
}

void Session::setOrnamentsHeard(bool on) {
  playback_.setOrnamentsHeard(on);
  hearPlan();
}

void Session::compareChosen() {
  const Ornament* o = song().ornament(chosen_);
  const Kind* kind = o ? allKinds().find(o->kind) : nullptr;
  Playback::Compared c{chosen_, !kind || kind->levelIsTheEffect()};
  if (const auto& facts = rows_->chosen(); facts && facts->ornament == chosen_) {
    c.lufsWith = facts->lufsWith;
    c.lufsWithout = facts->lufsWithout;
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
  rows_->forgetChosen();
  compareChosen();
  if (!playback_.ornamentsHeard()) hearPlan();
  emit rows_->chosenChanged();
}

Session::Kept Session::kept() const {
  Kept k;
  k.prints = chunks_->bytesInMemory();
  k.printsInFile = chunks_->bytesInFile();
  k.undo = history().bytes();
  k.peaks = rows_->bytes();
  k.found = options_.findings->bytes();
  return k;
}

void Session::cancelWork() {
  files_->cancelOpening();
  stems_->cancelLooking();
  if (exports_->underWay())
    exports_->cancel();
  else
    emit progress({}, 1);
}

void Session::waitUntilIdle() {
  QEventLoop loop;
  for (;;) {
    loop.processEvents(QEventLoop::AllEvents);
    if (plan_) pool_.waitUntilIdle();
    loop.processEvents(QEventLoop::AllEvents);
    if (workers_.working() || progressPosted_ || stems_->beginsWatching()) {
      loop.processEvents(QEventLoop::WaitForMoreEvents); // their end is an event
      continue;
    }
    const bool rows = rows_->beginWaiting(), stems = stems_->beginWaiting();
    if (!rows && !stems) return;
  }
}

} // namespace ivrin::app
