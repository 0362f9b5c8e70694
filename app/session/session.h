// One open song at work: its history, its audio, what is computed and what is heard. The window and its views hold a
// Session and draw what it says; it knows no widgets.
//
// All public functions belong to the window's thread and return at once; long work runs on threads of its own and comes
// back as a signal.
#pragma once

#include "analysis/collisions.h"
#include "analysis/phrases.h"
#include "dsp/onsets.h"
#include "play/player.h"
#include "render/export.h"
#include "render/open_song.h"
#include "render/render_pool.h"
#include "song/history.h"

#include <QObject>
#include <QString>
#include <QTimer>

#include <filesystem>
#include <list>
#include <map>

namespace ivrin::app {

class JournalWriter;

/// What is heard about a place where an ornament leaves or meets its row: left and right in the middle of each other,
/// 2 ms before and 2 ms after.
struct Seam {
  Frames at;
  std::vector<float> row;
};

/// What the measure line says of the chosen ornament.
struct ChosenFacts {
  std::string ornament;
  double lufsWith = -200, lufsWithout = -200, peakDbfs = -200, lowsAddedDb = 0;
  Beats tailEnd;
  std::optional<LoopFigures> loop;
  std::vector<Collision> collisions;
  std::vector<std::string> notes;
  std::vector<Seam> seams; // of kinds that replace the row
};

/// Levels of a print before and after one processor of its finish, in 1/10-decade-like bands over the drawings'
/// frequency axis (20 Hz to 20 kHz), dB re full scale.
struct FinishSpectra {
  std::string ornament;
  std::size_t index = 0;
  std::vector<float> before, after;
};

class Session : public QObject {
  Q_OBJECT
 public:
  struct Options {
    std::filesystem::path cacheFolder = StemStore::defaultFolder();
    std::filesystem::path journalFolder;      // empty: no journal
    std::vector<std::filesystem::path> reach; // folders the user allowed
    bool stepped = false;                     // tests: playing is pumped by the stepped output
    /// Where outputs come from; without one, or where it has none, a silent stand-in keeps time.
    std::shared_ptr<OutputSource> outputs;
    OutputChoice output;
  };
  explicit Session(Options options);
  ~Session() override;

  // The song.
  const Song& song() const { return history_.song(); }
  const History& history() const { return history_; }
  const std::filesystem::path& file() const { return file_; }
  bool isOpen() const { return plan_ != nullptr; }
  const SongAudio& audio() const { return audio_; }
  /// How a file the user chose is written into the song; its folder is allowed from then on.
  std::string pathFor(const std::filesystem::path& chosen);
  /// Why a row is silent or suspect, or nothing.
  QString rowProblem(const std::string& row) const;

  /// The only way to change the song. `label` is what undo will say.
  void edit(const QString& label, Song next, const std::string& mergeKey = {});
  void settle() { history_.settle(); }
  void undo();
  void redo();

  void open(const std::filesystem::path& file);
  /// A new song, never saved yet, from audio files.
  void begin(const std::vector<std::filesystem::path>& files, double bpm);
  bool save(const std::filesystem::path& file);
  /// Drops what the journal brought back and opens the file as it was saved.
  void discardRecovered();
  /// The user chose not to keep the edits since the last save: their journal goes.
  void forgetEdits();
  void allowFolder(const std::filesystem::path& folder);

  // Computing.
  const std::shared_ptr<const RenderPlan>& plan() const { return plan_; }
  /// Phrases of a row before its ornaments; empty until they are found.
  const std::vector<FrameRange>& phrases(const std::string& row) const;
  /// Peaks of a bus or the mix as it sounds; null until computed.
  std::shared_ptr<const PeakPyramid> rowPeaks(const std::string& row) const;
  /// Attacks of a row before its ornaments, ascending, in song frames; empty until they are found.
  const std::vector<Frames>& onsets(const std::string& row) const;
  /// First press, one ornament on each row: computed apart, then one edit and placed(id of the first).
  void place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch);
  /// Measures them apart; again after every edit, until another is wanted.
  void wantSpectra(const std::string& ornament, std::size_t index);
  const std::optional<FinishSpectra>& spectra() const { return spectra_; }
  const std::optional<ChosenFacts>& facts() const { return facts_; }
  void choose(const std::string& ornament);
  const std::string& chosen() const { return chosen_; }

  // Listening.
  Player& player() { return *player_; }
  Output& output() { return *output_; }
  /// Where the playhead is. A beat lies up to half a frame off its frame: on that frame it counts as reached.
  Beats playBeat() const;
  /// Goes on with another device, or a stand-in that keeps time, from the same place.
  void replaceOutput();
  void chooseOutput(const OutputChoice& choice);
  const OutputChoice& outputChoice() const { return options_.output; }
  std::vector<OutputDevice> outputDevices() const;
  /// Off: the chosen ornament is left out, or all of them where none is chosen.
  void setOrnamentsHeard(bool on);
  bool ornamentsHeard() const { return heard_; }
  /// On: only what the chosen ornament adds is heard.
  void setAlone(bool on);
  bool alone() const { return alone_; }
  /// On: with and without are heard equally loud over the chosen ornament's reach, the louder turned down; kinds whose
  /// effect is the level are left as they are.
  void setMatched(bool on);
  bool matched() const { return matched_; }
  /// What is being turned down for that now, dB ≤ 0.
  double matchDb() const;

  /// Runs the event loop until nothing is being computed (tests, pictures).
  void waitUntilIdle();
  bool working() const { return jobs_ > 0; }

  void exportTo(const std::filesystem::path& folder, const ExportOptions& options);
  void cancelExport();

 signals:
  void opened();
  void songChanged();
  void planChanged();
  void printsAdvanced();
  void rowPeaksReady();
  void factsChanged();
  void spectraChanged();
  void placed(const QString& id);
  void progress(const QString& what, double fraction); // 0..1; 1 ends it
  void exported(const QString& message, bool ok);
  void notice(const QString& text, bool isError);
  void recovered();
  void outOfReach(const QString& folder);
  void outputReplaced();

 private:
  void adopt(Song song, SongAudio audio, Reach reach, Problems problems, const std::filesystem::path& file,
             bool unsaved);
  void replan();
  void hearPlan();
  void applyListening();
  std::unique_ptr<Output> anyOutput() const;
  void startRowPeaks();
  void startFacts();
  void startPlayer();
  void loadNewImpulses();
  template <class Work> void job(std::jthread& slot, Work work);
  /// Runs on the window's thread, later.
  template <class F> void post(F f) { QMetaObject::invokeMethod(this, std::move(f), Qt::QueuedConnection); }

  Options options_;
  StemStore store_;
  std::unique_ptr<Output> output_;
  std::unique_ptr<Player> player_;
  RenderPool pool_;
  std::shared_ptr<PrintCache> cache_ = std::make_shared<PrintCache>();
  std::unique_ptr<JournalWriter> journal_;

  History history_;
  std::filesystem::path file_;
  std::string savedText_; // of the file as last read or written
  SongAudio audio_;
  Reach reach_;
  std::map<std::string, QString> rowProblems_;
  std::shared_ptr<const RenderPlan> plan_;
  std::map<std::string, std::vector<FrameRange>> phrases_;
  std::map<std::string, std::vector<Frames>> onsets_;
  std::map<std::string, std::shared_ptr<const PeakPyramid>> rowPeaks_;
  std::optional<ChosenFacts> facts_;
  std::optional<FinishSpectra> spectra_;
  std::string chosen_;
  bool heard_ = true, alone_ = false, matched_ = false;
  std::atomic<bool> progressPosted_{false};
  int jobs_ = 0;
  std::uint64_t songSerial_ = 0;
  QTimer peaksTimer_, factsTimer_;
  std::jthread openJob_, impulseJob_, spectraJob_, phraseJob_, placeJob_, peaksJob_, factsJob_, exportJob_;
  std::list<std::jthread> retired_; // asked to stop, not ended yet
};

} // namespace ivrin::app
