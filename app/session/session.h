// One open song at work: the document, the services that find and compute, and what is heard, put together for the
// window. The window and its views hold a Session and draw what it says; it knows no widgets.
//
// All public functions belong to the window's thread and return at once; long work is a job and comes back as a signal.
#pragma once

#include "document/document.h"
#include "manners/placing.h"
#include "manners/recipe_fit.h"
#include "playback/playback.h"
#include "render/export.h"
#include "render/relink.h"
#include "render/render_pool.h"
#include "services/chosen_facts.h"
#include "services/findings.h"
#include "services/finish_spectra.h"
#include "services/jobs.h"
#include "services/opening.h"
#include "services/opening_finding.h"
#include "services/row_peaks.h"
#include "services/section_finding.h"
#include "song/midi_map.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QTimer>

#include <deque>
#include <filesystem>
#include <map>
#include <set>

namespace ivrin::app {

/// What a MIDI file says of a song's time, or why it cannot be read.
struct MidiRead {
  std::string name; // of the file
  std::optional<MidiMap> map;
  Problems problems;
};

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

  // The song.
  const Song& song() const { return document_.song(); }
  const History& history() const { return document_.history(); }
  const std::filesystem::path& file() const { return document_.file(); }
  bool isOpen() const { return plan_ != nullptr; }
  /// Where the song starts: its lead before the stems, else bar 1.
  Beats start() const { return plan_ && song().leadBars > 0 ? plan_->map().beatAt(song().firstFrame()) : Beats(0); }
  const SongAudio& audio() const { return audio_; }
  /// How a file the user chose is written into the song; its folder is allowed from then on.
  std::string pathFor(const std::filesystem::path& chosen);
  /// Why a row is silent or suspect, or nothing.
  QString rowProblem(const std::string& row) const;

  /// The only way to change the song. `label` is what undo will say.
  void edit(const QString& label, Song next, const std::string& mergeKey = {});
  /// What is edited from here on is only heard: the song as it is now is what a crash leaves. Until endHearing().
  void beginHearing() { document_.keepInstead(song()); }
  void endHearing() { document_.keepInstead({}); }
  void settle();
  void undo();
  void redo();

  struct OpenAs {
    bool readOnly;                                  // though another window has it
    bool asSaved;                                   // whatever edits were left of it
    std::optional<std::filesystem::path> bringBack; // the state kept in this journal
  };
  void open(const std::filesystem::path& file) { open(file, OpenAs{false, false, {}}); }
  void open(const std::filesystem::path& file, const OpenAs& as);
  bool readOnly() const { return document_.readOnly(); }
  /// Edits that are not saved would be lost by a crash: no journal of them can be written now.
  bool unprotected() const { return unprotected_; }
  /// Until all edits are on the disk, or it is known that they cannot be.
  void waitForJournal() const { document_.waitForJournal(); }
  /// A new song, never saved yet, from audio files.
  void begin(const std::vector<std::filesystem::path>& files, std::optional<double> bpm);
  /// More rows from audio files: one undo step. stemsAdded() follows.
  void addStems(const std::vector<std::filesystem::path>& files);
  /// Reads a MIDI file apart; midiRead() follows.
  void readMidi(const std::filesystem::path& file) { midiJob_.begin(file); }
  /// Listens to the stems as they are; gridFound() says what was found.
  void lookForGrid();
  /// Openings of all rows; nothing while they are not known of the stems, the grid and the landings as they are now.
  const std::vector<Opening>* openings() const;
  /// openingsReady() follows.
  void lookForOpenings();
  /// Sections that were found on the stems and the grid as they are now, where the song has none of its own: proposed,
  /// until they are taken or let go.
  std::vector<FoundSection> proposedSections() const;
  /// sectionsProposed() follows, now and whenever they change.
  void lookForSections();
  void letSectionsGo();
  bool save(const std::filesystem::path& file);
  /// Asked before another song takes this one's place, where this one was edited while the other was on its way; false:
  /// this one stays. Without it the other one is taken.
  void setMayReplace(std::function<bool()> asks) { mayReplace_ = std::move(asks); }
  /// Drops the edits that were brought back and opens the file as it was saved.
  void discardRecovered();
  /// States that windows left which ended before they saved: of the song that was opened last, or of songs without a
  /// file. They stay until one is chosen.
  const std::vector<LeftEdits>& left() const { return left_; }
  /// Looks for what was left of songs without a file; leftOffered() tells.
  void lookForLeft();
  void bringBack(const LeftEdits& one);
  void letGo(const LeftEdits& one);

  /// Stems of the open song whose file is not there.
  std::vector<std::string> missingStems() const;
  bool isMissing(const std::string& row) const;
  /// The row takes its sound from this file. One undo step; its ornaments stay.
  void pointAt(const std::string& stem, const std::filesystem::path& file);
  /// Looks for all missing stems in a folder and below. One undo step.
  void findStemsIn(const std::filesystem::path& folder);
  /// The user chose not to keep the edits since the last save: their journal goes.
  void forgetEdits();
  void allowFolder(const std::filesystem::path& folder);
  /// Files of stems that were written anew since they were brought in: offered(), which takes them in.
  /// Looked for by itself when a file changes.
  void lookForReexports();

  // Computing.
  const std::shared_ptr<const RenderPlan>& plan() const { return plan_; }
  /// Phrases of a row before its ornaments; empty until they are found, and after an edit of what lies under the row
  /// those of before until the new ones are.
  const std::vector<FrameRange>& phrases(const std::string& row) const;
  /// Peaks of a bus or the mix as it sounds; null until computed.
  std::shared_ptr<const PeakPyramid> rowPeaks(const std::string& row) const;
  const AllRowPeaks& rowPeaks() const { return rowPeaks_; }
  /// Attacks of a row before its ornaments, ascending, in song frames; empty until they are found.
  const std::vector<Frames>& onsets(const std::string& row) const;
  /// Whether the two before are of the row as it was heard, not only wanted.
  bool heardRow(const std::string& row) const { return found_.contains(row); }
  /// First press, one ornament on each row: computed apart, then one edit and placed(id of the first).
  void place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch);
  /// The same after an ornament that stands already: both are tied to one landing, in one undo step.
  void placeAfter(const std::string& kind, const Ornament& former, BeatRange stretch);
  /// A recipe at a landing of the song as `base` has it: computed apart, the newest alone is told by recipeMade().
  void tryRecipe(const std::shared_ptr<const RenderPlan>& base, const Recipe& recipe, const std::string& landing,
                 const RecipeOptions& options);
  /// Measures them apart; again after every edit, until another is wanted.
  void wantSpectra(const std::string& ornament, std::size_t index);
  const std::optional<FinishSpectra>& spectra() const { return spectra_; }
  const std::optional<ChosenFacts>& facts() const { return facts_; }
  /// Whether the two sides of any of these rows may differ: a stem of two channels, one that is panned, or an ornament.
  bool soundsWide(const std::vector<std::string>& rows) const;
  void choose(const std::string& ornament);
  const std::string& chosen() const { return chosen_; }

  // Listening.
  Player& player() { return playback_.player(); }
  Output& output() { return playback_.output(); }
  const Playback& playback() const { return playback_; }
  /// There could be a device, and none can be had: nothing is heard until there is one.
  bool noSound() const { return playback_.noSound() && playback_.outputs(); }
  /// Where the playhead is. A beat lies up to half a frame off its frame: on that frame it counts as reached.
  Beats playBeat() const;
  /// Goes on with another device, or a stand-in that keeps time, from the same place.
  void replaceOutput();
  void chooseOutput(const OutputChoice& choice);
  /// While no device could be had: looks for one, apart, and takes it. Called by itself about once a second.
  void lookForDevice();
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

  /// What is held of the open song beside what the song itself is, bytes. Bounded: see docs/reliability.md.
  struct Kept {
    std::int64_t prints = 0;       // in memory
    std::int64_t printsInFile = 0; // beyond what memory may have
    std::int64_t undo = 0, peaks = 0, found = 0;
    std::int64_t inMemory() const { return prints + undo + peaks + found; }
  };
  Kept kept() const;

  void exportTo(const std::filesystem::path& folder, const ExportOptions& options);
  void cancelExport();
  /// Whatever shows progress: opening, looking for stems, exporting.
  void cancelWork();

 signals:
  void gridFound(const ivrin::FoundGrid& found);
  void midiRead(const ivrin::app::MidiRead& read);
  void openingsReady();
  void sectionsProposed();
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
  void protectionChanged();
  /// left() is not empty: there is something to choose.
  void leftOffered();
  /// Files of rows are not there; `text` says which.
  void stemsMissing(const QString& text);
  void openElsewhere(const QString& file, const QString& who);
  /// A folder beside the song's own that it keeps reading from, after it was saved elsewhere.
  void folderAllowed(const QString& folder);
  void outOfReach(const QString& folder);
  void outputReplaced();
  void stemsAdded(int count);
  void recipeMade(const ivrin::RecipeMade& made);
  /// The same song grows: it has these so far.
  void recipePartPlaced(const ivrin::Song& song, const std::vector<std::string>& placed);
  /// Something can be done about what `text` says; asked once.
  void offered(const QString& text, const QString& action, std::function<void()> does);

 private:
  struct FactsInput {
    std::shared_ptr<const RenderPlan> plan, without;
    std::string ornament;
  };
  struct SpectraInput {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::string ornament;
    std::size_t index;
    std::shared_ptr<PrintCache> cache;
  };
  struct PlaceInput {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::string kind;
    std::vector<Press> presses;
    std::shared_ptr<PrintCache> cache;
    std::string after{}; // the ornament that it follows
  };
  struct Placing {
    std::vector<Ornament> made;
    std::string after;
    QString refusal, said; // why something is not there; what one press heard and did
  };
  struct RecipeInput {
    std::shared_ptr<const RenderPlan> base;
    SongAudio audio;
    Recipe recipe;
    std::string landing;
    RecipeOptions options;
    std::shared_ptr<PrintCache> cache;
  };
  struct AudioInput {
    Song song;
    AudioFolders folders;
    SongAudio known;
  };
  struct AudioFound {
    SongAudio audio;
    Problems problems;
  };
  struct Verified {
    std::vector<std::string> sound;   // digests
    std::vector<std::string> damaged; // stems
  };
  struct LookInput {
    Song song;
    std::vector<std::string> stems;
    std::filesystem::path where; // a file for the one stem, or a folder
    bool isFolder;
  };
  struct LookFound {
    std::vector<StemFound> stems;
    std::size_t of = 0;
    Problems problems;
  };
  struct ExportInput {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::filesystem::path folder;
    ExportOptions options;
  };
  struct OpenInput {
    std::vector<std::filesystem::path> files; // a song, or the stems of a new one
    bool fresh = false;                       // a new one
    std::optional<double> bpm{};              // of a new one; none: it is found
    Places places{};
    std::filesystem::path left{}; // or the journal of one without a file
  };
  struct AddInput {
    Song song;
    std::vector<std::filesystem::path> files;
  };
  struct Added {
    std::vector<Stem> stems;
    bool apart = false; // they lie where their files say
    Problems problems;
  };
  struct ReexportInput {
    Song song;
    std::map<std::string, std::string> digests; // of what is heard, by stem
  };
  struct GridInput {
    Song song;
    SongAudio audio;
  };
  struct OpeningsInput {
    std::shared_ptr<const RenderPlan> plan;
    std::vector<std::string> rows;
  };
  /// What was listened to, and what was found in it.
  template <class T> struct FoundIn {
    Song of;
    std::vector<T> all;
  };
  struct FindInput {
    std::shared_ptr<const RenderPlan> plan;
    std::vector<std::string> rows;
  };
  struct PeaksInput {
    std::shared_ptr<const RenderPlan> plan;
    AllRowPeaks known;
  };

  void beginOpening(OpenInput in);
  void takeOpened(OpenedDocument d);
  void takeArrived(OpenedDocument d);
  void adopt(OpenedDocument d);
  void replan();
  void hearPlan();
  void compareChosen();
  void tell(const OutputNews& news);
  void watchDevices();
  void takeDevices(const std::vector<OutputDevice>& there);
  void songEdited();
  void startFacts();
  void startFinding();
  void startPeaks();
  void startVerifying();
  void loadNewAudio();
  void takeAudio(AudioFound found);
  void takeProblems(const Problems& problems);
  void takeFound(LookFound found);
  void takeAdded(Added added);
  void watchStems();
  bool watchesAll() const;
  void offerReexports(const std::vector<std::string>& stems);
  void takeReexports(const std::vector<std::string>& stems);
  void dropDamaged(const std::vector<std::string>& stems);
  Places places() const;
  void nextExport();
  void keepInReach();
  void addPlaced(const Placing& placing);
  std::shared_ptr<const RenderPlan> planWithoutChosen() const;
  Progress reportImport(const Run& run);
  /// Runs on the window's thread, later.
  template <class F> void post(F f) { QMetaObject::invokeMethod(this, std::move(f), Qt::QueuedConnection); }

  Options options_;
  Document document_;
  StemStore store_;
  Playback playback_;
  RenderPool pool_;
  const std::shared_ptr<ChunkStore> chunks_;
  std::shared_ptr<PrintCache> cache_; // another one for every song; jobs have their own hold of it

  SongAudio audio_;
  std::map<std::string, QString> rowProblems_;
  std::vector<LeftEdits> left_;
  std::set<std::string> verified_;  // digests of stems whose copies were compared with their checksums
  std::deque<ExportInput> exports_; // the first is under way
  std::shared_ptr<const RenderPlan> plan_;
  std::map<std::string, std::shared_ptr<const RowFindings>> found_; // the newest there are
  mutable std::set<std::string> wanted_;                            // rows asked for since they were last looked after
  AllRowPeaks rowPeaks_;
  std::optional<ChosenFacts> facts_;
  std::optional<FinishSpectra> spectra_;
  std::string chosen_;
  std::string leadKey_; // of the edit that goes on
  int leadBefore_ = 0;  // bars before the song when that began
  std::atomic<bool> progressPosted_{false};
  bool unprotected_ = false;
  QTimer peaksTimer_, factsTimer_, verifyTimer_, filesTimer_, deviceTimer_;
  QFileSystemWatcher files_;
  std::vector<std::string> watched_;               // files of stems, as the song names them
  std::map<std::string, std::string> offeredAnew_; // digests, by stem: once is enough

  Workers workers_;
  Song leaving_; // as it was when another one was asked for
  std::optional<OpenedDocument> arrived_;
  std::function<bool()> mayReplace_;
  Job<OpenInput, OpenedDocument> openJob_;
  Job<std::shared_ptr<OutputSource>, std::vector<OutputDevice>> deviceJob_;
  Job<int, int> tidyJob_;
  Job<std::filesystem::path, LeftFound> leftJob_;
  Job<AudioInput, AudioFound> audioJob_;
  Job<SongAudio, Verified> verifyJob_;
  Job<LookInput, LookFound> lookJob_;
  Job<SpectraInput, std::optional<FinishSpectra>> spectraJob_;
  Job<AddInput, Added> addJob_;
  Job<GridInput, std::optional<FoundGrid>> gridJob_;
  Job<std::filesystem::path, MidiRead> midiJob_;
  Job<ReexportInput, std::map<std::string, std::string>> reexportJob_;
  Job<OpeningsInput, std::optional<FoundIn<Opening>>> openingsJob_;
  std::optional<FoundIn<Opening>> openings_;
  Job<std::shared_ptr<const RenderPlan>, std::optional<FoundIn<FoundSection>>> sectionsJob_;
  std::optional<FoundIn<FoundSection>> sections_;
  Job<FindInput, int> findJob_;
  Job<PlaceInput, Placing> placeJob_;
  Job<RecipeInput, std::optional<RecipeMade>> recipeJob_;
  Job<PeaksInput, std::optional<AllRowPeaks>> peaksJob_;
  Job<FactsInput, std::optional<ChosenFacts>> factsJob_;
  Job<ExportInput, std::pair<QString, bool>> exportJob_;
};

} // namespace ivrin::app
