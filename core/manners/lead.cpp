#include "manners/lead.h"

#include "ornaments/kind.h"
#include "song/limits.h"

#include <algorithm>
#include <cmath>
#include <unordered_set>

namespace ivrin {
namespace {

constexpr double kEdgeSeconds = 0.005; // what is faded in within that is heard whole

} // namespace

bool soundsBefore(const Song& song, Frames first) {
  return static_cast<double>((song.firstFrame() - first).count) > kEdgeSeconds * song.sampleRate;
}

int leadBarsFor(const Song& song, Frames first) {
  const double bars = -static_cast<double>(first.count) / (song.leadBarSeconds() * song.sampleRate);
  return std::clamp(static_cast<int>(std::ceil(bars - kEdgeSeconds / song.leadBarSeconds())), 0, kMostLeadBars);
}

Song withRoomBefore(const Song& now, Song next, int atLeast, std::shared_ptr<const Impulses> impulses) {
  const SongContext context = contextOf(next, std::move(impulses));
  const bool sameGrid = now.tempo == next.tempo && now.meter == next.meter && now.startSeconds == next.startSeconds;
  std::unordered_set<const Ornament*> known; // the same value, wherever it stands in the list
  if (sameGrid)
    for (const auto& o : now.ornaments) known.insert(o.get());
  next.leadBars = atLeast;
  for (const auto& o : next.ornaments) {
    if (!o->enabled || known.contains(o.get())) continue;
    const Ornament* was = sameGrid ? now.ornament(o->id) : nullptr;
    if (was && *was == *o) continue;
    const Kind* kind = allKinds().find(o->kind);
    if (!kind) continue;
    const PrintPlan plan = kind->plan({*o, context});
    if (plan.sounds && plan.refusal.empty() && !plan.extent.empty() && soundsBefore(next, plan.extent.begin))
      next.leadBars = leadBarsFor(next, plan.extent.begin);
  }
  return next;
}

} // namespace ivrin
