#include "services/opening_finding.h"

#include "dsp/parallel.h"
#include "manners/fitting.h"
#include "manners/manners.h"
#include "render/facts.h"

#include <algorithm>

namespace ivrin {

std::vector<Opening> openingsOf(const std::shared_ptr<const RenderPlan>& plan, const std::vector<std::string>& rows,
                                Findings& findings, int threads, std::stop_token stop) {
  const TempoMap& map = plan->map();
  const Song& song = plan->song();
  const Beats end = map.beatAt(plan->end(true));
  const auto add = [](std::vector<Opening>& to, std::vector<Opening> more) {
    to.insert(to.end(), more.begin(), more.end());
  };
  std::vector<std::vector<Opening>> each(rows.size());
  inParallel(rows.size(), threads, [&](std::size_t i) {
    if (rows[i] == kMixRow) {
      each[i] = openingsBeforeLandings(song);
      add(each[i], turnsOf(song, rows[i], end));
      return;
    }
    const auto found = findings.of(plan, rows[i], stop);
    if (!found || stop.stop_requested()) return;
    const std::vector<FrameRange> phrases = joinedOver(found->phrases, leastRest(map, Beats(0)));
    each[i] = findOpenings({rows[i], &phrases, &found->onsets, &found->notes, &found->octaves}, map);
    const Stem* stem = song.stem(rows[i]);
    const Bus* bus = song.bus(rows[i]);
    if ((stem && stem->role == RowRole::drums) || (bus && bus->role == RowRole::drums))
      add(each[i], turnsOf(song, rows[i], end));
  });
  std::vector<Opening> all;
  for (auto& own : each) all.insert(all.end(), own.begin(), own.end());
  for (Opening& o : all) o.suits = suiting(o.kind);
  std::stable_sort(all.begin(), all.end(),
                   [](const Opening& a, const Opening& b) { return a.place.begin < b.place.begin; });
  return all;
}

namespace {

constexpr double kLongestWordBeats = 4, kHitBeats = 0.5;

} // namespace

BeatRange sourceOf(const Opening& o, const TempoMap& map, const std::vector<FrameRange>& phrases,
                   const std::vector<Frames>& attacks) {
  if (o.kind == Opening::Kind::hit)
    return {o.place.begin, o.place.begin + std::min(o.place.length(), Beats::ofQuarters(kHitBeats))};
  if (o.kind != Opening::Kind::gap) return o.place;
  const Frames gap = map.frameAt(o.place.begin);
  const auto after =
      std::partition_point(phrases.begin(), phrases.end(), [&](const FrameRange& p) { return p.begin < gap; });
  if (after == phrases.begin()) return o.place;
  const FrameRange last = *(after - 1);
  // From its last attack, but for one at its very end.
  const Frames late = map.frameAt(map.beatAt(last.end) - Beats::ofQuarters(0.2));
  const auto attack = std::upper_bound(attacks.begin(), attacks.end(), late);
  Frames from = last.begin;
  if (attack != attacks.begin() && *(attack - 1) > last.begin) from = *(attack - 1);
  const Beats begin = std::max(map.beatAt(from), map.beatAt(last.end) - Beats::ofQuarters(kLongestWordBeats));
  return {begin, std::max(map.beatAt(last.end), begin + Beats(1))};
}

} // namespace ivrin
