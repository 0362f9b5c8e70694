// SongStems brings in the sound of the song's rows: what an edit asks for, stems that are missing or new, copies that
// are damaged, files that were written anew.
#pragma once

#include "app/session/file_watch.h"
#include "app/session/jobs_of_session.h"
#include "render/relink.h"
#include "render/song_audio.h"

#include <QObject>
#include <QString>
#include <QTimer>

#include <filesystem>
#include <map>
#include <set>

namespace ivrin::app {

class Session;

class SongStems : public QObject {
  Q_OBJECT
 public:
  explicit SongStems(Session& session);
  /// Another song is open.
  void clear();
  /// It has been: its copies are compared with their checksums after a while, its files watched.
  void begin();
  /// A plan was made: stems and impulse responses that an edit brought in are opened apart; until then they are silent.
  void planMade();
  /// Files are about to be watched.
  bool beginsWatching() const { return files_.beginning(); }
  /// Files that the song did not name before are watched.
  void songEdited();
  /// Begins what waits for calm, and says whether anything did.
  bool beginWaiting();

  /// Why a row is silent or suspect, or nothing.
  QString problem(const std::string& row) const;
  void takeProblems(const Problems& problems);
  /// Stems of the open song whose file is not there.
  std::vector<std::string> missing() const;
  bool isMissing(const std::string& row) const;
  /// What of the song was out of reach or missing is looked for again.
  void openMissing();
  /// The row takes its sound from this file. One undo step; its ornaments stay.
  void pointAt(const std::string& stem, const std::filesystem::path& file);
  /// Looks for all missing stems in a folder and below. One undo step.
  void findIn(const std::filesystem::path& folder);
  void cancelLooking() { lookJob_.cancel(); }
  /// More rows from audio files: one undo step. added() follows.
  void add(const std::vector<std::filesystem::path>& files);
  /// Those of these rows that the song still has begin where it does. One undo step.
  void moveToStart(const QString& label, const std::vector<std::string>& rows);
  /// Files of stems that were written anew since they were brought in: Session::offered(), which takes them in.
  /// Looked for by itself when a file changes.
  void lookForReexports();
  /// Of stems whose copy in the cache is not what was written: it is made anew. What was computed from it goes.
  void dropDamaged(const std::vector<std::string>& stems);

 signals:
  void added(int count);

 private:
  struct AudioInput {
    Song song;
    AudioFolders folders;
    SongAudio known;
    StemStore store;
    Told told;
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
    StemStore store;
    Told told;
  };
  struct LookFound {
    std::vector<StemFound> stems;
    std::size_t of = 0;
    Problems problems;
  };
  struct AddInput {
    Song song;
    std::vector<std::filesystem::path> files;
    StemStore store;
  };
  struct Added {
    std::vector<Stem> stems;
    bool apart = false; // they lie where their files say
    Problems problems;
  };
  struct ReexportInput {
    Song song;
    std::map<std::string, std::string> digests; // of what is heard, by stem
    StemStore store;
  };
  void bringIn(SongAudio known);
  void takeAudio(AudioFound found);
  void takeFound(LookFound found);
  void takeAdded(Added added);
  void verify();
  void watch();
  bool watchesAll() const;
  void offerReexports(const std::vector<std::string>& stems);
  void takeReexports(const std::vector<std::string>& stems);

  Session& session_;
  std::map<std::string, QString> problems_;
  std::set<std::string> verified_; // digests of stems whose copies were compared with their checksums
  QTimer verifyTimer_, filesTimer_;
  FileWatch files_;
  std::vector<std::string> watched_;               // files of stems, as the song names them
  std::map<std::string, std::string> offeredAnew_; // digests, by stem: once is enough
  Job<AudioInput, AudioFound> audioJob_;
  Job<SongAudio, Verified> verifyJob_;
  Job<LookInput, LookFound> lookJob_;
  Job<AddInput, Added> addJob_;
  Job<ReexportInput, std::map<std::string, std::string>> reexportJob_;
};

} // namespace ivrin::app
