#include "services/song_figures.h"

#include "analysis/phrases.h"
#include "dsp/measure/loudness.h"
#include "dsp/parallel.h"
#include "manners/in_the_mix.h"
#include "render/export.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kLevelSeconds = 14; // of a print: what is loudest in it comes early
constexpr double kShortestSeconds = 0.05, kMomentarySeconds = 0.4;

/// How loud the print of an ornament is against what it was made from and the mix it lands in.
void takeLevels(const std::shared_ptr<const RenderPlan>& plan, const std::shared_ptr<const RenderPlan>& without,
                OrnamentFigures& f) {
  const OrnamentNode& node = *f.node;
  if (!node.print || !node.plan.dry.isOne()) return; // it takes the row's place
  const Ornament& o = *node.ornament;
  const TempoMap& map = plan->map();
  const double rate = map.sampleRate();
  const FrameRange span = map.frames(o.span());
  const FrameRange extent{
      node.print->first(),
      std::min(node.print->end(), node.print->first() + Frames(std::llround(kLevelSeconds * rate) + span.length()))};
  StereoBuffer print = heardOver(readerOfPrint(f.node), extent);
  const StereoBuffer source = heardOver(readerBeforeOrnaments(plan, o.on), span);
  const auto loudest = [&](const StereoBuffer& b, double seconds) {
    return loudestWindowLufs(b, rate, std::llround(seconds * rate));
  };
  const double window = std::max(static_cast<double>(span.length()) / rate, kShortestSeconds);
  const double is = loudest(source, window), p = loudest(print, window);
  if (is > -70 && p > -100) f.overSourceLu = p - is;
  const SideGains path = pathToMix(plan->song(), o.on);
  for (std::int64_t i = 0; i < print.frames(); ++i) {
    print.left()[i] *= static_cast<float>(path.left);
    print.right()[i] *= static_cast<float>(path.right);
  }
  const Frames bar = map.frameAt(o.start + map.meterAt(o.start).barLength()) - span.begin;
  f.underMixLu = underMix(loudest(print, kMomentarySeconds), readerBeforeOrnaments(without, kMixRow),
                          {span.end - bar, span.end}, rate);
}

} // namespace

std::vector<OrnamentFigures> figuresOfAll(const std::shared_ptr<const RenderPlan>& plan, const SongAudio& audio,
                                          PrintCache& cache, Findings& findings, int threads) {
  completePrints(*plan, threads);
  // All stems are looked at first: one by one they would wait for each other.
  std::vector<std::string> rows;
  for (const Stem& s : plan->song().stems) rows.push_back(s.id);
  inParallel(rows.size(), threads, [&](std::size_t i) { findings.of(plan, rows[i]); });

  std::vector<OrnamentFigures> all;
  for (const auto& node : plan->nodes()) all.push_back({node, {}, {}, {}, {}, {}});
  inParallel(all.size(), threads, [&](std::size_t i) {
    OrnamentFigures& f = all[i];
    const auto without =
        RenderPlan::make(withoutOrnaments(plan->song(), f.node->ornament->id), audio, allKinds(), cache, plan.get());
    f.facts = factsOf(*plan, *f.node, *without);
    takeLevels(plan, without, f);
    f.collisions = collisionsOf(plan, f.node, findings);
    f.over = rowsUnder(plan, f.node, findings);
  });
  return all;
}

} // namespace ivrin
