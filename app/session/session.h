// One open song at work: the document, its plan and what is heard, and the parts that do the rest, each with its jobs.
// The window and its views hold a Session and draw what it says; it knows no widgets.
//
// All public functions belong to the window's thread and return at once; long work is a job (services/jobs.h), whose
// input goes by value, and comes back as a signal.
#pragma once

#include "app/session/exports.h"
#include "app/session/output_watch.h"
#include "app/session/placing.h"
#include "app/session/row_facts.h"
#include "app/session/song_files.h"
#include "app/session/song_findings.h"
#include "app/session/song_stems.h"
#include "document/document.h"
#include "playback/playback.h"
#include "render/open_song.h"
#include "render/render_pool.h"

#include <QObject>
#include <QString>

#include <filesystem>

namespace ivrin::app {

class Session : public QObject {
  Q_OBJECT
 public:
  struct Options {
    std::filesystem::path cacheFolder = StemStore::defaultFolder();
    std::filesystem::path journalFolder;      // empty: no journal
    std::vector<std::filesystem::path> reach; // folders the user allowed
    Playback::Options playback;
    /// What is found about rows; may be shared by sessions.
    std::shared_ptr<Findings> findings; // none: its own, which keeps them in cacheFolder
  };
  explicit Session(Options options);
  ~Session() override;

  // Its parts.
  SongFiles& files() { return *files_; }
  SongStems& stems() { return *stems_; }
  const SongStems& stems() const { return *stems_; }
  SongFindings& findings() { return *findings_; }
  const SongFindings& findings() const { return *findings_; }
  RowFacts& rows() { return *rows_; }
  const RowFacts& rows() const { return *rows_; }
  Placing& placing() { return *placing_; }
  Exports& exports() { return *exports_; }
  OutputWatch& outputs() { return *outputs_; }
  const OutputWatch& outputs() const { return *outputs_; }

  // The song.
  const Song& song() const { return document_.song(); }
  const History& history() const { return document_.history(); }
  const std::filesystem::path& file() const { return document_.file(); }
  bool readOnly() const { return document_.readOnly(); }
  bool isOpen() const { return plan_ != nullptr; }
  /// Where the song starts: its lead before the stems, else bar 1.
  Beats start() const { return plan_ && song().leadBars > 0 ? plan_->map().beatAt(song().firstFrame()) : Beats(0); }
  /// The only way to change the song. `label` is what undo will say.
  void edit(const QString& label, Song next, const std::string& mergeKey = {});
  /// What is edited from here on is only heard: the song as it is now is what a crash leaves. Until endHearing().
  void beginHearing() { document_.keepInstead(song()); }
  void endHearing() { document_.keepInstead({}); }
  void settle();
  void undo();
  void redo();
  /// Edits that are not saved would be lost by a crash: no journal of them can be written now.
  bool unprotected() const { return unprotected_; }
  /// Until all edits are on the disk, or it is known that they cannot be.
  void waitForJournal() const { document_.waitForJournal(); }

  // Computing.
  const std::shared_ptr<const RenderPlan>& plan() const { return plan_; }
  const SongAudio& audio() const { return audio_; }
  std::shared_ptr<const RenderPlan> planWithoutChosen() const;
  /// Whether the two sides of any of these rows may differ: a stem of two channels, one that is panned, or an ornament.
  bool soundsWide(const std::vector<std::string>& rows) const;
  void choose(const std::string& ornament);
  const std::string& chosen() const { return chosen_; }

  // Listening.
  Player& player() { return playback_.player(); }
  /// None while one is being opened.
  const Output* output() const { return playback_.output(); }
  const Playback& playback() const { return playback_; }
  /// Where the playhead is. A beat lies up to half a frame off its frame: on that frame it counts as reached.
  Beats playBeat() const;
  /// Off: the chosen ornament is left out, or all of them where none is chosen.
  void setOrnamentsHeard(bool on);
  /// On: only what the chosen ornament adds is heard.
  void setAlone(bool on) { playback_.setAlone(on); }
  /// On: with and without are heard equally loud over the chosen ornament's reach, the louder turned down; kinds whose
  /// effect is the level are left as they are.
  void setMatched(bool on) { playback_.setMatched(on); }

  /// At every picture: tells what computes where the playhead is, and goes on with another device where one has gone.
  /// Says so, if it did.
  void tick();
  /// Runs the event loop until nothing is being computed (tests, pictures).
  void waitUntilIdle();
  bool working() const { return workers_.working(); }
  /// Whatever shows progress: opening, looking for stems, exporting.
  void cancelWork();

  /// What is held of the open song beside what the song itself is, bytes. Bounded: see docs/reliability.md.
  struct Kept {
    std::int64_t prints = 0;       // in memory
    std::int64_t printsInFile = 0; // beyond what memory may have
    std::int64_t undo = 0, peaks = 0, found = 0;
    std::int64_t inMemory() const { return prints + undo + peaks + found; }
  };
  Kept kept() const;

  // For its parts.
  const Options& options() const { return options_; }
  Document& document() { return document_; }
  const Document& document() const { return document_; }
  Workers& workers() { return workers_; }
  const StemStore& store() const { return store_; }
  const std::shared_ptr<PrintCache>& cache() const { return cache_; }
  /// What a job says of how far it is, under these words.
  Told showProgress(const QString& what);
  /// Another song takes the place of this one.
  void adopt(OpenedSong one, SongPlace place, const Problems& problems);
  /// The state that a window left goes on here.
  void bringBack(Song state, std::unique_ptr<JournalPlace> journal, int edits);
  /// The rows sound otherwise; `stems`: not only its impulse responses.
  void takeAudio(SongAudio audio, bool stems);
  void forgetPrints();
  /// Prints that failed are begun anew.
  void tryFailedAgain();
  /// The player and the pool get the plan that is heard; the pool the song's own too.
  void hearPlan();
  /// The loudness that is compared is that of the chosen ornament as it was measured last.
  void compareChosen();

 signals:
  void opened();
  void songChanged();
  void planChanged();
  void printsAdvanced();
  void progress(const QString& what, double fraction); // 0..1; 1 ends it
  void notice(const QString& text, bool isError);
  void protectionChanged();
  void outputReplaced();
  /// Something can be done about what `text` says; asked once.
  void offered(const QString& text, const QString& action, std::function<void()> does);

 private:
  QString giveEnds(Song& next, const std::string& mergeKey);
  void replan();
  void songEdited();
  /// Runs on the window's thread, later.
  template <class F> void post(F f) { QMetaObject::invokeMethod(this, std::move(f), Qt::QueuedConnection); }

  Options options_;
  Document document_;
  const StemStore store_;
  Playback playback_;
  RenderPool pool_;
  const std::shared_ptr<ChunkStore> chunks_;
  std::shared_ptr<PrintCache> cache_; // another one for every song; jobs have their own hold of it
  SongAudio audio_;
  std::shared_ptr<const RenderPlan> plan_;
  std::string chosen_;
  std::string mergeKey_;           // of the edit that goes on
  int leadBefore_ = 0;             // bars before the song when that began
  std::vector<std::string> ended_; // the ornaments that it has given an end
  std::atomic<bool> progressPosted_{false};
  bool unprotected_ = false;

  Workers workers_;
  std::unique_ptr<OutputWatch> outputs_;
  std::unique_ptr<SongStems> stems_;
  std::unique_ptr<RowFacts> rows_;
  std::unique_ptr<SongFindings> findings_;
  std::unique_ptr<Placing> placing_;
  std::unique_ptr<Exports> exports_;
  std::unique_ptr<SongFiles> files_;
};

} // namespace ivrin::app
