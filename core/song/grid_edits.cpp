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
  const TempoMap was = song.tempoMap(), is = next.tempoMap();
  const auto moved = [&](Beats b) { return settledTick(is.beatAt(was.secondsAt(b))); };
  const auto spanned = [&](Beats& start, Beats& length) {
    const Beats end = moved(start + length);
    start = moved(start);
    length = std::max(end - start, Beats(1));
  };
  for (auto* all : {&next.sections, &next.landings})
    for (Landing& l : *all) l.at = moved(l.at);
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

Song withTempoCorrectedAt(const Song& song, Beats at, double bpm) {
  return withGridCorrected(song, replacedAt(song.tempo, at, bpm), song.startSeconds);
}

} // namespace ivrin
