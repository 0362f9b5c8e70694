// SongFiles opens, begins and saves songs, and keeps the edits that windows left which ended before they saved. Another
// song takes the place of the open one here alone, after whoever may object was asked.
#pragma once

#include "app/session/jobs_of_session.h"
#include "audio/stem_store.h"
#include "document/document.h"
#include "services/opening.h"

#include <QObject>
#include <QString>

#include <deque>
#include <filesystem>

namespace ivrin::app {

class Session;

class SongFiles : public QObject {
  Q_OBJECT
 public:
  explicit SongFiles(Session& session);
  struct OpenAs {
    bool readOnly;                                  // though another window has it
    bool asSaved;                                   // whatever edits were left of it
    std::optional<std::filesystem::path> bringBack; // the state kept in this journal
  };
  void open(const std::filesystem::path& file) { open(file, OpenAs{false, false, {}}); }
  void open(const std::filesystem::path& file, const OpenAs& as);
  /// A new song, never saved yet, from audio files.
  void begin(const std::vector<std::filesystem::path>& files, std::optional<double> bpm);
  void cancelOpening() { openJob_.cancel(); }
  /// Asked before another song takes this one's place, where this one was edited while the other was on its way; false:
  /// this one stays. Without it the other one is taken.
  using Asks = std::function<void(std::function<void()> replace)>;
  void setMayReplace(Asks asks) { mayReplace_ = std::move(asks); }
  /// Written by a job, while edits go on; `then` hears whether it was. One after the other.
  void save(const std::filesystem::path& file, std::function<void(bool ok)> then = {});
  bool saving() const { return !saves_.empty(); }
  /// Once nothing is being saved any more.
  void whenSaved(std::function<void()> then);

  /// Drops the edits that were brought back and opens the file as it was saved.
  void discardRecovered();
  /// The user chose not to keep the edits since the last save: their journal goes.
  void forgetEdits();
  /// States that windows left which ended before they saved: of the song that was opened last, or of songs without a
  /// file. They stay until one is chosen.
  const std::vector<LeftEdits>& left() const { return left_; }
  /// Looks for what was left of songs without a file; leftOffered() tells.
  void lookForLeft();
  void bringBack(const LeftEdits& one);
  void letGo(const LeftEdits& one);

  /// What of the song lies there is brought in; nothing else about it changes.
  void allowFolder(const std::filesystem::path& folder);
  /// How a file the user chose is written into the song; its folder is allowed from then on.
  std::string pathFor(const std::filesystem::path& chosen);

 signals:
  void recovered();
  /// left() is not empty: there is something to choose.
  void leftOffered();
  /// Files of rows are not there; `text` says which.
  void stemsMissing(const QString& text);
  void openElsewhere(const QString& file, const QString& who);
  /// A folder beside the song's own that it keeps reading from, after it was saved elsewhere.
  void folderAllowed(const QString& folder);
  void outOfReach(const QString& folder);

 private:
  struct OpenInput {
    std::vector<std::filesystem::path> files; // a song, or the stems of a new one
    bool fresh;                               // a new one
    std::optional<double> bpm;                // of a new one; none: it is found
    Places places;
    std::filesystem::path left; // or the journal of one without a file
    StemStore store;
    Told told;
  };
  OpenInput inputOf(std::vector<std::filesystem::path> files) const;
  void beginOpening(OpenInput in);
  void takeOpened(OpenedDocument d);
  void takeArrived(OpenedDocument d);
  void adopt(OpenedDocument d);
  void sayWhatIsMissing(const Problems& problems);
  void keepInReach();
  void beginSaving();
  struct Wrote {
    Document::Saving saving;
    Document::Written written;
  };
  void saved(Wrote w);
  struct Save {
    std::filesystem::path file;
    std::function<void(bool)> then;
  };

  Session& session_;
  std::vector<std::filesystem::path> reach_; // folders the user allowed
  std::vector<LeftEdits> left_;
  Song leaving_; // as it was when another one was asked for
  std::optional<OpenedDocument> arrived_;
  Asks mayReplace_;
  std::deque<Save> saves_; // the first is being written
  std::vector<std::function<void()>> whenSaved_;
  Job<OpenInput, OpenedDocument> openJob_;
  Job<std::filesystem::path, LeftFound> leftJob_;
  Job<int, int> tidyJob_;
  Job<Document::Saving, Wrote> saveJob_;
};

} // namespace ivrin::app
