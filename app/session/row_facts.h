// RowFacts finds and measures rows and the chosen ornament: phrases and attacks, peaks of what sounds, loudness with
// and without, spectra before and after a processor. All of it is computed by jobs, and again after every edit.
#pragma once

#include "render/render_plan.h"
#include "services/chosen_facts.h"
#include "services/findings.h"
#include "services/finish_spectra.h"
#include "services/jobs.h"
#include "services/row_peaks.h"

#include <QObject>
#include <QTimer>

#include <map>
#include <set>

namespace ivrin::app {

class Session;

class RowFacts : public QObject {
  Q_OBJECT
 public:
  explicit RowFacts(Session& session);
  /// Another song is open.
  void clear();
  /// All rows have another sound than before, or there are others.
  void wantAll();
  /// The song was edited, more of its prints are there, another ornament was chosen: what hangs on it is computed
  /// again, once it is calm.
  void planMade();
  void printsAdvanced();
  void forgetChosen();
  /// Begins what waits for calm, and says whether anything did.
  bool beginWaiting();

  /// Phrases of a row before its ornaments; empty until they are found, and after an edit of what lies under the row
  /// those of before until the new ones are.
  const std::vector<FrameRange>& phrases(const std::string& row) const;
  /// Attacks of a row before its ornaments, ascending, in song frames; empty until they are found.
  const std::vector<Frames>& onsets(const std::string& row) const;
  /// Whether the two before are of the row as it was heard, not only wanted.
  bool heard(const std::string& row) const { return found_.contains(row); }
  /// Peaks of a bus or the mix as it sounds; null until computed.
  std::shared_ptr<const PeakPyramid> peaks(const std::string& row) const;
  const AllRowPeaks& peaks() const { return peaks_; }
  /// Of the chosen ornament; nothing until it is measured.
  const std::optional<ChosenFacts>& chosen() const { return chosen_; }
  /// Measures them apart; again after every edit, until another is wanted.
  void wantSpectra(const std::string& ornament, std::size_t index);
  const std::optional<FinishSpectra>& spectra() const { return spectra_; }
  /// Of peaks.
  std::int64_t bytes() const;

 signals:
  void peaksReady();
  void chosenChanged();
  void spectraChanged();

 private:
  struct FindInput {
    std::shared_ptr<const RenderPlan> plan;
    std::vector<std::string> rows;
    std::shared_ptr<Findings> findings;
    /// On the window's thread.
    std::function<void(const std::string& row, std::shared_ptr<const RowFindings> found)> found;
  };
  struct PeaksInput {
    std::shared_ptr<const RenderPlan> plan;
    AllRowPeaks known;
  };
  struct ChosenInput {
    std::shared_ptr<const RenderPlan> plan, without;
    std::string ornament;
    std::shared_ptr<Findings> findings;
  };
  struct SpectraInput {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::string ornament;
    std::size_t index;
    std::shared_ptr<PrintCache> cache;
  };
  void findRows();
  void findPeaks();
  void measure();

  Session& session_;
  std::map<std::string, std::shared_ptr<const RowFindings>> found_; // the newest there are
  mutable std::set<std::string> wanted_;                            // rows asked for since they were last looked after
  AllRowPeaks peaks_;
  std::optional<ChosenFacts> chosen_;
  std::optional<FinishSpectra> spectra_;
  QTimer peaksTimer_, chosenTimer_;
  Job<FindInput, int> findJob_;
  Job<PeaksInput, std::optional<AllRowPeaks>> peaksJob_;
  Job<ChosenInput, std::optional<ChosenFacts>> chosenJob_;
  Job<SpectraInput, std::optional<FinishSpectra>> spectraJob_;
};

} // namespace ivrin::app
