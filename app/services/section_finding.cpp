#include "services/section_finding.h"

#include "dsp/parallel.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin {

std::vector<FoundSection> sectionsOf(const std::shared_ptr<const RenderPlan>& plan, Findings& findings, int threads,
                                     std::stop_token stop) {
  const std::vector<Stem>& stems = plan->song().stems;
  std::vector<std::shared_ptr<const RowFindings>> found(stems.size());
  inParallel(stems.size(), threads, [&](std::size_t i) { found[i] = findings.of(plan, stems[i].id, stop); });
  if (stop.stop_requested()) return {};
  std::vector<RowOfForm> rows;
  FrameRange sounding{Frames(0), Frames(0)};
  for (std::size_t i = 0; i < stems.size(); ++i) {
    const auto row = plan->rowIndex(stems[i].id);
    if (!row || !found[i] || !plan->rows()[*row].audio) continue;
    rows.push_back({&found[i]->octaves, &found[i]->notes});
    sounding.end = std::max(sounding.end, stemsUnder(*plan, *row).end);
  }
  return findSections(rows, plan->map(), sounding);
}

std::vector<FoundSection> withoutOwn(std::vector<FoundSection> found, const Song& song) {
  std::erase_if(found, [&](const FoundSection& f) {
    return std::any_of(song.sections.begin(), song.sections.end(), [&](const Landing& s) { return s.at == f.at; });
  });
  return found;
}

Song withSections(Song song, const std::vector<FoundSection>& found) {
  for (const FoundSection& f : withoutOwn(found, song))
    song = withSection(song, {freshLandingId(song, true), f.at, f.name});
  return song;
}

} // namespace ivrin
