#include "song/grid_edits.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

std::vector<TempoEntry> replacedAt(std::vector<TempoEntry> tempo, Beats at, double bpm) {
  auto holds = tempo.begin();
  for (auto e = tempo.begin(); e != tempo.end(); ++e)
    if (e->at <= at) holds = e;
  holds->bpm = bpm;
  return tempo;
}

/// A tick or two beside a note value is that value: the way through seconds rounds.
Beats settledTick(Beats b) {
  constexpr std::int64_t kFine = 64, kNear = 2; // kFine: a 20160th of a quarter
  const std::int64_t near = (b.ticks >= 0 ? b.ticks + kFine / 2 : b.ticks - kFine / 2) / kFine * kFine;
  return std::abs(near - b.ticks) <= kNear ? Beats(near) : b;
}

} // namespace

Song withTempoAt(Song song, Beats at, double bpm) {
  song.tempo = replacedAt(std::move(song.tempo), at, bpm);
  return song;
}

Song withGridCorrected(const Song& song, std::vector<TempoEntry> tempo, double startSeconds) {
  Song next = song;
  next.tempo = std::move(tempo);
  next.startSeconds = startSeconds;
  return keptOnSound(song, std::move(next));
}

Song keptOnSound(const Song& before, Song next) {
  const TempoMap was = before.tempoMap(), is = next.tempoMap();
  const auto moved = [&](Beats b) { return settledTick(is.beatAt(was.secondsAt(b))); };
  const auto spanned = [&](Beats& start, Beats& length) {
    const Beats end = moved(start + length);
    start = moved(start);
    length = std::max(end - start, Beats(1));
  };
  for (auto* all : {&next.sections, &next.landings})
    for (Landing& l : *all)
      if (before.landingById(l.id)) l.at = moved(l.at); // others came with the grid
  for (std::size_t i = 0; i < next.ornaments.size(); ++i) {
    Ornament o = *next.ornaments[i];
    spanned(o.start, o.length);
    for (SourcePiece& piece : o.source) spanned(piece.start, piece.length);
    next.ornaments.set(i, std::move(o));
  }
  return next;
}

Song withBarOneAt(const Song& song, Beats at) {
  return withGridCorrected(song, song.tempo, song.tempoMap().secondsAt(at).value);
}

namespace {

template <class Entry> typename std::vector<Entry>::iterator entryAt(std::vector<Entry>& entries, Beats at) {
  return std::find_if(entries.begin(), entries.end(), [&](const Entry& e) { return e.at == at; });
}

template <class Entry> void put(std::vector<Entry>& entries, const Entry& e) {
  if (const auto there = entryAt(entries, e.at); there != entries.end()) {
    *there = e;
    return;
  }
  entries.insert(
      std::upper_bound(entries.begin(), entries.end(), e, [](const Entry& a, const Entry& b) { return a.at < b.at; }),
      e);
}

template <class Entry> void take(std::vector<Entry>& entries, Beats at) {
  if (const auto there = entryAt(entries, at); there != entries.end() && there != entries.begin()) entries.erase(there);
}

/// Every entry on a bar line of the ones before it; two on one line: the later one holds.
std::vector<MeterEntry> onBarLines(const std::vector<MeterEntry>& entries) {
  std::vector<MeterEntry> put;
  for (MeterEntry e : entries) {
    if (!put.empty()) {
      const std::int64_t bar = put.back().barLength().ticks, from = e.at.ticks - put.back().at.ticks;
      e.at = put.back().at + Beats((from + bar - 1) / bar * bar);
      if (e.at == put.back().at) put.pop_back();
    }
    put.push_back(e);
  }
  return put;
}

Beats barLineAt(const Song& song, Beats at) {
  const TempoMap map = song.tempoMap();
  return std::max(Beats(0), map.barStart(map.barAt(at).bar));
}

} // namespace

Song withTempoFrom(Song song, Beats at, double bpm) {
  put(song.tempo, TempoEntry{std::max(at, Beats(0)), bpm});
  return song;
}

Song withoutTempoAt(Song song, Beats at) {
  take(song.tempo, at);
  return song;
}

Song withTempoMoved(Song song, Beats from, Beats to) {
  const auto e = entryAt(song.tempo, from);
  if (e == song.tempo.end() || e == song.tempo.begin() || to <= Beats(0)) return song;
  const double bpm = e->bpm;
  return withTempoFrom(withoutTempoAt(std::move(song), from), to, bpm);
}

Song withMeterFrom(Song song, Beats at, int count, int unit) {
  put(song.meter, MeterEntry{barLineAt(song, at), count, unit});
  song.meter = onBarLines(song.meter);
  return song;
}

Song withoutMeterAt(Song song, Beats at) {
  take(song.meter, at);
  song.meter = onBarLines(song.meter);
  return song;
}

Song withMeterMoved(Song song, Beats from, Beats to) {
  const auto e = entryAt(song.meter, from);
  if (e == song.meter.end() || e == song.meter.begin()) return song;
  const MeterEntry moved = *e;
  Song without = withoutMeterAt(song, from);
  if (barLineAt(without, to) == Beats(0)) return song;
  return withMeterFrom(std::move(without), to, moved.count, moved.unit);
}

} // namespace ivrin
