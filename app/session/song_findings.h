// SongFindings listens to the whole song: tempo, bar 1 and key, openings in its rows, sections. It also reads the tempo
// and meter of MIDI files.
#pragma once

#include "import/midi_map.h"
#include "render/render_plan.h"
#include "services/findings.h"
#include "services/jobs.h"
#include "services/opening.h"
#include "services/opening_finding.h"
#include "services/section_finding.h"

#include <QObject>

#include <filesystem>

namespace ivrin::app {

class Session;

/// What a MIDI file says of a song's time, or why it cannot be read.
struct MidiRead {
  std::string name; // of the file
  std::optional<MidiMap> map;
  Problems problems;
};

class SongFindings : public QObject {
  Q_OBJECT
 public:
  explicit SongFindings(Session& session);
  /// Another song is open.
  void clear();
  /// Reads a MIDI file apart; midiRead() follows.
  void readMidi(const std::filesystem::path& file) { midiJob_.begin(file); }
  /// Listens to the stems as they are; gridFound() says what was found.
  void lookForGrid();
  /// What was heard of a new song whose tempo is in doubt, until it is settled. tempoDoubted() follows.
  const std::optional<FoundGrid>& tempoInDoubt() const { return doubted_; }
  void doubtTempo(FoundGrid heard);
  void tempoIsSettled();
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

 signals:
  void gridFound(const ivrin::FoundGrid& found);
  void tempoDoubted();
  void midiRead(const ivrin::app::MidiRead& read);
  void openingsReady();
  void sectionsProposed();

 private:
  struct GridInput {
    Song song;
    SongAudio audio;
  };
  struct OpeningsInput {
    std::shared_ptr<const RenderPlan> plan;
    std::vector<std::string> rows;
    std::shared_ptr<Findings> findings;
  };
  struct SectionsInput {
    std::shared_ptr<const RenderPlan> plan;
    std::shared_ptr<Findings> findings;
  };
  /// What was listened to, and what was found in it.
  template <class T> struct FoundIn {
    Song of;
    std::vector<T> all;
  };

  Session& session_;
  std::optional<FoundGrid> doubted_;
  std::optional<FoundIn<Opening>> openings_;
  std::optional<FoundIn<FoundSection>> sections_;
  Job<GridInput, std::optional<FoundGrid>> gridJob_;
  Job<std::filesystem::path, MidiRead> midiJob_;
  Job<OpeningsInput, std::optional<FoundIn<Opening>>> openingsJob_;
  Job<SectionsInput, std::optional<FoundIn<FoundSection>>> sectionsJob_;
};

} // namespace ivrin::app
