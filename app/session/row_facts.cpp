#include "app/session/row_facts.h"

#include "app/session/session.h"
#include "time/give_way.h"

namespace ivrin::app {
namespace {

constexpr int kPeaksAfterMs = 150, kChosenAfterMs = 120;

} // namespace

RowFacts::RowFacts(Session& session)
    : session_(session)
    , findJob_(
          session.workers(),
          [](const FindInput& in, const Run& run) {
            giveWay();
            for (const std::string& row : in.rows)
              if (auto found = in.findings->of(in.plan, row, run.stop))
                run.report([take = in.found, row, found] { take(row, found); });
            return 0;
          },
          [&session](int) { emit session.printsAdvanced(); })
    , peaksJob_(
          session.workers(),
          [](const PeaksInput& in, const Run& run) { return rowPeaks(*in.plan, in.known, run.stop); },
          [this](std::optional<AllRowPeaks> made) {
            if (!made) return;
            peaks_ = std::move(*made);
            emit peaksReady();
          })
    , chosenJob_(
          session.workers(),
          [](const ChosenInput& in, const Run& run) {
            return measureChosen(in.plan, in.ornament, in.without, *in.findings, run.stop);
          },
          [this](std::optional<ChosenFacts> measured) {
            if (!measured || measured->ornament != session_.chosen()) return;
            chosen_ = std::move(measured);
            session_.compareChosen();
            emit chosenChanged();
          })
    , spectraJob_(
          session.workers(),
          [](const SpectraInput& in, const Run& run) {
            return measureFinish(*in.plan, in.audio, *in.cache, in.ornament, in.index, run.stop);
          },
          [this](std::optional<FinishSpectra> s) {
            if (!s) return;
            spectra_ = std::move(s);
            emit spectraChanged();
          }) {
  for (auto& [timer, ms] : {std::pair{&peaksTimer_, kPeaksAfterMs}, std::pair{&chosenTimer_, kChosenAfterMs}}) {
    timer->setSingleShot(true);
    timer->setInterval(ms);
  }
  connect(&peaksTimer_, &QTimer::timeout, this, &RowFacts::findPeaks);
  connect(&chosenTimer_, &QTimer::timeout, this, &RowFacts::measure);
}

void RowFacts::clear() {
  findJob_.cancel();
  peaksJob_.cancel();
  chosenJob_.cancel();
  spectraJob_.cancel();
  found_.clear();
  peaks_.clear();
  chosen_.reset();
  spectra_.reset();
}

void RowFacts::wantAll() {
  for (const std::string& row : session_.song().rowsInScoreOrder()) wanted_.insert(row);
}

void RowFacts::planMade() {
  peaksTimer_.start();
  chosenTimer_.start();
}

void RowFacts::printsAdvanced() {
  peaksTimer_.start();
}

void RowFacts::forgetChosen() {
  chosen_.reset();
  chosenTimer_.start();
}

bool RowFacts::beginWaiting() {
  const bool peaks = peaksTimer_.isActive(), chosen = chosenTimer_.isActive();
  peaksTimer_.stop();
  chosenTimer_.stop();
  if (peaks) findPeaks();
  if (chosen) measure();
  return peaks || chosen;
}

const std::vector<FrameRange>& RowFacts::phrases(const std::string& row) const {
  static const std::vector<FrameRange> none;
  wanted_.insert(row);
  const auto it = found_.find(row);
  return it == found_.end() ? none : it->second->phrases;
}

const std::vector<Frames>& RowFacts::onsets(const std::string& row) const {
  static const std::vector<Frames> none;
  wanted_.insert(row);
  const auto it = found_.find(row);
  return it == found_.end() ? none : it->second->onsets;
}

std::shared_ptr<const PeakPyramid> RowFacts::peaks(const std::string& row) const {
  const auto it = peaks_.find(row);
  return it == peaks_.end() ? nullptr : it->second.peaks;
}

std::int64_t RowFacts::bytes() const {
  std::int64_t all = 0;
  for (const auto& [row, made] : peaks_)
    if (made.peaks) all += made.peaks->bytes();
  return all;
}

/// Of every row that was asked for and whose sound under its ornaments is new; those of stems first.
void RowFacts::findRows() {
  FindInput in{
      session_.plan(),
      {},
      session_.options().findings,
      [this](const std::string& row, std::shared_ptr<const RowFindings> found) { found_[row] = std::move(found); }};
  for (const RowNode& row : in.plan->rows()) {
    if (!wanted_.contains(row.id)) continue;
    if (auto known = in.findings->known(*in.plan, row.id))
      found_[row.id] = std::move(known);
    else
      in.rows.push_back(row.id);
  }
  wanted_.clear();
  if (!in.rows.empty()) findJob_.begin(std::move(in));
}

void RowFacts::findPeaks() {
  if (session_.isOpen()) peaksJob_.begin({session_.plan(), peaks_});
}

void RowFacts::measure() {
  if (!session_.isOpen()) return;
  findRows();
  const std::string& chosen = session_.chosen();
  if (!chosen.empty() && session_.plan()->node(chosen))
    chosenJob_.begin({session_.plan(), session_.planWithoutChosen(), chosen, session_.options().findings});
}

void RowFacts::wantSpectra(const std::string& ornament, std::size_t index) {
  if (session_.isOpen()) spectraJob_.begin({session_.plan(), session_.audio(), ornament, index, session_.cache()});
}

} // namespace ivrin::app
