#include "manners/first_press.h"

#include "dsp/measure/loudness.h"
#include "song/edits.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {

namespace {

constexpr double kSilentDb = -66; // peak: nothing that could be heard

/// Whether anything sounds there, faintest of all a peak of −66 dBFS.
bool sounds(const RowReader& row, FrameRange span) {
  StereoBuffer block(4096);
  const double least = Decibels(kSilentDb).gain();
  for (Frames at = span.begin; at < span.end; at = at + Frames(block.frames())) {
    const StereoSpan part = block.span().part(0, std::min(block.frames(), (span.end - at).count));
    row(at, part);
    if (samplePeak(part.left, part.right, part.frames) >= least) return true;
  }
  return false;
}

} // namespace

Pressed press(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
              BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses,
              const PressWish* wish) {
  Pressed p;
  Ornament& o = p.ornament;
  o.id = freshOrnamentId(song);
  o.kind = kind;
  o.on = row;
  o.start = stretch.begin;
  o.length = stretch.length();
  const SongContext context = contextOf(song, std::move(impulses));
  const Manners* m = mannersOf(kind);
  if (!m) return p;
  const Kind& k = *kinds.find(kind);
  const Placed placed{o, context};
  if (const PrintPlan plan = k.plan(placed); !plan.refusal.empty()) {
    p.heard.refusal = plan.refusal;
    return p;
  }
  if (m->needsSound() && !sounds(around.before(row), placed.span())) {
    p.heard.refusal = worded("This row is silent there. Select a place where it plays.");
    return p;
  }
  if (wish) wish->layOver(o);
  p.heard = m->fit(o, {k, song, context, around, wish});
  if (wish) wish->layOver(o); // what its manners chose otherwise
  p.heard.roomSeconds = around.decaySeconds;
  return p;
}

Ornament place(const KindSet& kinds, const std::string& kind, const Song& song, const std::string& row,
               BeatRange stretch, const Surroundings& around, std::shared_ptr<const Impulses> impulses) {
  return press(kinds, kind, song, row, stretch, around, std::move(impulses)).ornament;
}

std::optional<PressedAgain> pressedAgain(const Song& song, const std::string& kind, const std::string& row,
                                         BeatRange stretch) {
  const Manners* m = mannersOf(kind);
  if (!m) return std::nullopt;
  for (const auto& one : song.ornaments)
    if (one->kind == kind && one->on == row && m->standsOn(*one, stretch)) return m->again(*one, song);
  return std::nullopt;
}

} // namespace ivrin
