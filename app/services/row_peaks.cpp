#include "services/row_peaks.h"

#include "render/evaluator.h"
#include "render/provenance.h"

namespace ivrin {
namespace {

bool printsWhole(const RenderPlan& plan, std::size_t row) {
  for (const auto& n : plan.rows()[row].ornaments)
    if (n->print && !n->print->complete()) return false;
  for (const std::size_t m : plan.rows()[row].members)
    if (!printsWhole(plan, m)) return false;
  return true;
}

} // namespace

std::optional<AllRowPeaks> rowPeaks(const RenderPlan& plan, const AllRowPeaks& known, std::stop_token stop) {
  constexpr std::int64_t kBlock = 16384;
  AllRowPeaks made;
  StereoBuffer block(kBlock);
  const FrameRange all{plan.song().firstFrame(), plan.end(true)};
  for (std::size_t r = 0; r < plan.rows().size(); ++r) {
    const RowNode& row = plan.rows()[r];
    if (row.type == RowNode::Type::stem) continue;
    RowPeaks one;
    one.whole = printsWhole(plan, r); // before it is read: what comes while it is read makes it anew next time
    one.sound = soundAfter(plan, r, all) + std::to_string(row.gainLeft) + '/' + std::to_string(row.gainRight);
    if (const auto it = known.find(row.id);
        it != known.end() && one.whole && it->second.whole && it->second.sound == one.sound) {
      made[row.id] = it->second;
      continue;
    }
    Evaluator evaluator(plan, Evaluator::Missing::takeReady);
    auto peaks = std::make_shared<PeakPyramid>();
    evaluator.setBegin(all.begin);
    peaks->setBegin(all.begin.count);
    for (std::int64_t at = all.begin.count; at < all.end.count; at += kBlock) {
      if (stop.stop_requested()) return std::nullopt;
      const StereoSpan part = block.span().part(0, std::min(kBlock, all.end.count - at));
      evaluator.rowOut(r, Frames(at), part);
      peaks->append(part.left, part.right, part.frames);
    }
    peaks->finish();
    one.peaks = std::move(peaks);
    made[row.id] = std::move(one);
  }
  return made;
}

} // namespace ivrin
