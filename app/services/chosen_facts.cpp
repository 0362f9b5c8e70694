#include "services/chosen_facts.h"

#include "analysis/level_curve.h"
#include "manners/fitting.h"
#include "manners/in_the_mix.h"
#include "render/evaluator.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {
constexpr double kNotInTheMixDb = -100; // muted
}

std::vector<Collision> collisionsOf(const std::shared_ptr<const RenderPlan>& plan,
                                    const std::shared_ptr<const OrnamentNode>& node, Findings& findings,
                                    std::stop_token stop) {
  const Ornament& o = *node->ornament;
  const auto found = findings.of(plan, o.on, stop);
  if (!found || !node->print) return {};
  std::vector<Collision> all = findCollisions(
      readerOfPrint(node), node->extent(), plan->map().frames(o.span()), readerBeforeOrnaments(plan, o.on, stop),
      joinedOver(found->phrases, Frames(leastRest(plan->map(), o.start).count / 2)), plan->map().sampleRate());
  // What is made without the row is meant to sound over it.
  if (node->plan.reads.empty()) std::erase_if(all, [](const Collision& c) { return c.goesOn; });
  if (!o.source.empty() || node->plan.reads.empty() || !node->plan.dry.isOne()) return all;
  // Of what stands for its row, or is taken from elsewhere, no other word would be the same.
  const auto earlier = earlierWord(all, o.span(), found->phrases, found->onsets, plan->map());
  for (Collision& c : all)
    if (!c.goesOn) c.earlier = earlier;
  return all;
}

std::vector<Collision> rowsUnder(const std::shared_ptr<const RenderPlan>& plan,
                                 const std::shared_ptr<const OrnamentNode>& node, Findings& findings,
                                 std::stop_token stop) {
  if (!node->print || !node->plan.dry.isOne() || node->print->extent().empty()) return {};
  const Song& song = plan->song();
  const auto path = [&](const std::string& row) {
    const SideGains g = pathToMix(song, row);
    return 10 * std::log10((g.left * g.left + g.right * g.right) / 2 + 1e-12);
  };
  const RowReader reader = readerOfPrint(node);
  const double own = path(node->ornament->on);
  if (own < kNotInTheMixDb) return {};
  const RowOctaves print =
      octavesOf(levelCurve(reader, node->print->extent(), plan->map().sampleRate()), node->print->extent().begin);
  const std::string& on = node->ornament->on;
  const bool made = !node->plan.reads.empty(); // of what sounds under it
  std::vector<Collision> over;
  for (const Stem& s : song.stems) {
    if (s.id == on || (made && (s.bus == on || on == kMixRow)) || path(s.id) < kNotInTheMixDb) continue;
    if (stop.stop_requested()) return {};
    if (const auto found = findings.of(plan, s.id, stop))
      if (auto met = findOverRow(print, own, s.id, found->octaves, path(s.id))) {
        takeSides(*met, reader, pathToMix(song, on), readerBeforeOrnaments(plan, s.id, stop), pathToMix(song, s.id));
        over.push_back(std::move(*met));
      }
  }
  std::stable_sort(over.begin(), over.end(), [](const Collision& a, const Collision& b) { return a.db > b.db; });
  return over;
}

std::optional<ChosenFacts> measureChosen(const std::shared_ptr<const RenderPlan>& plan, const std::string& ornament,
                                         const std::shared_ptr<const RenderPlan>& without, Findings& findings,
                                         std::stop_token stop) {
  const auto node = plan->node(ornament);
  if (!node) return std::nullopt;
  const OrnamentFacts f = factsOf(*plan, *node, *without, stop);
  if (stop.stop_requested()) return std::nullopt;
  ChosenFacts c{ornament,
                f.lufsWith,
                f.lufsWithout,
                f.peakDbfs,
                f.lowsAddedDb,
                plan->map().beatAt(f.extent.end),
                f.loop,
                {},
                false,
                {},
                {},
                {},
                {}};
  const double rate = plan->map().sampleRate();
  if (!node->plan.dry.isOne()) { // it takes the row's place: how it leaves and meets it
    Evaluator rows(*plan, Evaluator::Missing::compute, stop);
    Planes planes;
    const std::int64_t half = std::llround(0.002 * rate);
    for (const Frames at : {f.extent.begin, f.extent.end}) {
      rows.planes(node->row, at - Frames(half), 2 * half, planes);
      Seam seam{at, std::vector<float>(static_cast<std::size_t>(2 * half))};
      for (std::int64_t i = 0; i < 2 * half; ++i) {
        float both = planes.dry.left()[i] + planes.dry.right()[i];
        if (planes.wetSounds) both += planes.wet.left()[i] + planes.wet.right()[i];
        seam.row[static_cast<std::size_t>(i)] = both / 2;
      }
      c.seams.push_back(std::move(seam));
    }
  }
  if (node->print && !node->plan.reads.empty()) {
    NodeSounds sounds(*plan, *node, stop);
    if (const auto at = node->kind->takenFrom({*node->ornament, plan->context()}, sounds)) {
      const std::int64_t before = std::llround(0.008 * rate), all = 3 * before;
      StereoBuffer heard(all);
      sounds.read(0, *at - Frames(before), heard.span());
      Seam taken{*at, std::vector<float>(static_cast<std::size_t>(all))};
      for (std::int64_t i = 0; i < all; ++i)
        taken.row[static_cast<std::size_t>(i)] = (heard.left()[i] + heard.right()[i]) / 2;
      c.taken = std::move(taken);
    }
  }
  if (node->print) {
    c.collisions = collisionsOf(plan, node, findings, stop);
    c.overWhatGoesOn = std::erase_if(c.collisions, [](const Collision& k) { return k.goesOn; }) > 0;
    c.over = rowsUnder(plan, node, findings, stop);
    if (!node->print->note().empty()) c.notes.push_back(node->print->note());
  }
  if (stop.stop_requested()) return std::nullopt;
  return c;
}

} // namespace ivrin
