#include "services/opening_finding.h"

#include "manners/fitting.h"
#include "render/facts.h"
#include "render/parallel.h"

#include <algorithm>

namespace ivrin {

std::vector<Opening> openingsOf(const std::shared_ptr<const RenderPlan>& plan, const std::vector<std::string>& rows,
                                Findings& findings, int threads, std::stop_token stop) {
  const TempoMap& map = plan->map();
  std::vector<std::vector<Opening>> each(rows.size());
  inParallel(rows.size(), threads, [&](std::size_t i) {
    if (rows[i] == kMixRow) {
      each[i] = openingsBeforeLandings(plan->song());
      return;
    }
    const auto found = findings.of(plan, rows[i], stop);
    if (!found || stop.stop_requested()) return;
    const std::vector<FrameRange> phrases = joinedOver(found->phrases, leastRest(map, Beats(0)));
    each[i] = findOpenings({rows[i], &phrases, &found->onsets, &found->notes, &found->octaves}, map);
  });
  std::vector<Opening> all;
  for (auto& own : each) all.insert(all.end(), own.begin(), own.end());
  std::stable_sort(all.begin(), all.end(),
                   [](const Opening& a, const Opening& b) { return a.place.begin < b.place.begin; });
  return all;
}

} // namespace ivrin
