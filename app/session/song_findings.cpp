#include "app/session/song_findings.h"

#include "app/session/session.h"
#include "time/give_way.h"

#include <algorithm>
#include <tuple>

namespace ivrin::app {
namespace {

constexpr int kThreads = 2;

/// What is found in the stems' sound at places of the grid stays so.
bool soundsAlike(const Song& a, const Song& b) {
  return std::equal(a.stems.begin(), a.stems.end(), b.stems.begin(), b.stems.end(),
                    [](const Stem& x, const Stem& y) {
                      return x.id == y.id && x.file == y.file && x.digest == y.digest &&
                             x.offsetSeconds == y.offsetSeconds;
                    }) &&
         a.tempo == b.tempo && a.meter == b.meter && a.startSeconds == b.startSeconds;
}

} // namespace

SongFindings::SongFindings(Session& session)
    : session_(session)
    , gridJob_(
          session.workers(),
          [](const GridInput& in, const Run& run) -> std::optional<FoundGrid> {
            giveWay();
            FoundGrid found = findGrid(in.song, in.audio, kThreads, run.stop);
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundGrid> found) {
            if (found) emit gridFound(*found);
          })
    , midiJob_(
          session.workers(),
          [](const std::filesystem::path& file, const Run&) {
            MidiRead read{file.filename().string(), {}, {}};
            read.map = readMidiFile(file, read.problems);
            return read;
          },
          [this](const MidiRead& read) { emit midiRead(read); })
    , openingsJob_(
          session.workers(),
          [](const OpeningsInput& in, const Run& run) -> std::optional<FoundIn<Opening>> {
            giveWay();
            FoundIn<Opening> found{in.plan->song(), openingsOf(in.plan, in.rows, *in.findings, kThreads, run.stop)};
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundIn<Opening>> found) {
            if (!found) return;
            openings_ = std::move(found);
            emit openingsReady();
          })
    , sectionsJob_(
          session.workers(),
          [](const SectionsInput& in, const Run& run) -> std::optional<FoundIn<FoundSection>> {
            giveWay();
            FoundIn<FoundSection> found{in.plan->song(), sectionsOf(in.plan, *in.findings, kThreads, run.stop)};
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(found));
          },
          [this](std::optional<FoundIn<FoundSection>> found) {
            if (!found) return;
            sections_ = std::move(found);
            emit sectionsProposed();
          }) {}

void SongFindings::clear() {
  tempoIsSettled();
  gridJob_.cancel();
  midiJob_.cancel();
  openingsJob_.cancel();
  sectionsJob_.cancel();
  openings_.reset();
  sections_.reset();
}

void SongFindings::doubtTempo(FoundGrid heard) {
  doubted_ = std::move(heard);
  emit tempoDoubted();
}

void SongFindings::tempoIsSettled() {
  if (!doubted_) return;
  doubted_.reset();
  emit tempoDoubted();
}

void SongFindings::lookForGrid() {
  if (session_.isOpen()) gridJob_.begin({session_.song(), session_.audio()});
}

const std::vector<Opening>* SongFindings::openings() const {
  if (!openings_) return nullptr;
  const Song &was = openings_->of, &is = session_.song();
  const auto onBuses = [](const Song& s) {
    std::vector<std::tuple<std::string, std::optional<std::string>, std::optional<RowRole>>> rows;
    for (const Stem& own : s.stems) rows.emplace_back(own.id, own.bus, own.role);
    for (const Bus& b : s.buses) rows.emplace_back(b.id, std::nullopt, b.role);
    return rows;
  };
  // Levels in the mix change no place.
  const bool same =
      soundsAlike(was, is) && onBuses(was) == onBuses(is) && was.sections == is.sections && was.landings == is.landings;
  return same ? &openings_->all : nullptr;
}

void SongFindings::lookForOpenings() {
  if (session_.isOpen())
    openingsJob_.begin({session_.plan(), session_.song().rowsInScoreOrder(), session_.options().findings});
}

std::vector<FoundSection> SongFindings::proposedSections() const {
  if (!sections_ || !soundsAlike(sections_->of, session_.song())) return {};
  return withoutOwn(sections_->all, session_.song());
}

void SongFindings::lookForSections() {
  if (session_.isOpen()) sectionsJob_.begin({session_.plan(), session_.options().findings});
}

void SongFindings::letSectionsGo() {
  sections_.reset();
  emit sectionsProposed();
}

} // namespace ivrin::app
