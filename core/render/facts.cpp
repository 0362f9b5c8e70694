#include "render/facts.h"

#include "dsp/denormals.h"
#include "dsp/measure/loudness.h"
#include "render/evaluator.h"

#include <algorithm>

namespace ivrin {
namespace {

/// Whether all that an ornament does to the mix is to add its print: then the mix without it is the mix less that.
bool onlyAdds(const RenderPlan& plan, const OrnamentNode& node, const RenderPlan& without) {
  if (!node.print || !node.plan.dry.isOne() || !node.plan.wet.isOne() || node.refused) return false;
  for (const RowNode& row : plan.rows()) // a muted row's print is not in the mix
    if (row.mute && (&row == &plan.rows()[node.row] ||
                     std::find(row.members.begin(), row.members.end(), node.row) != row.members.end()))
      return false;
  const FrameRange extent = node.extent();
  for (const auto& other : plan.nodes()) {
    if (other->ornament->id == node.ornament->id) continue;
    const auto there = without.node(other->ornament->id);
    if (!there || there->provenance != other->provenance) return false; // it hears it
    // What turns down what was added before: on its row after it, on its bus or the mix.
    if (!intersect(other->plan.wet.span(), extent).empty()) return false;
  }
  return plan.nodes().size() == without.nodes().size() + 1;
}

void measureBoth(const RenderPlan& plan, const OrnamentNode& node, const RenderPlan& without, FrameRange range,
                 const std::stop_token& stop, OrnamentFacts& f) {
  constexpr std::int64_t kAtOnce = 1 << 14;
  const bool adds = onlyAdds(plan, node, without);
  StereoBuffer with(std::min(kAtOnce, range.length())), dry(with.frames());
  PairLoudness meter(plan.map().sampleRate());
  Evaluator mix(plan, Evaluator::Missing::compute, stop), other(without, Evaluator::Missing::compute, stop);
  for (std::int64_t at = 0; at < range.length(); at += kAtOnce) {
    if (stop.stop_requested()) return;
    const std::int64_t n = std::min(kAtOnce, range.length() - at);
    const Frames from = range.begin + Frames(at);
    const StereoSpan a = with.span().part(0, n), b = dry.span().part(0, n);
    mix.mix(from, a);
    if (adds) {
      mix.alone(node, from, b);
      for (std::int64_t i = 0; i < n; ++i) {
        b.left[i] = a.left[i] - b.left[i];
        b.right[i] = a.right[i] - b.right[i];
      }
    } else {
      other.mix(from, b);
    }
    meter.add(a, b);
  }
  f.lufsWith = meter.figures(0).integratedLufs;
  f.lufsWithout = meter.figures(1).integratedLufs;
  f.lowsAddedDb = meter.figures(0).lowEnergyDb - meter.figures(1).lowEnergyDb;
}

} // namespace

OrnamentFacts factsOf(const RenderPlan& plan, const OrnamentNode& node, const RenderPlan& without,
                      std::stop_token stop) {
  const FlushDenormals guard;
  OrnamentFacts f;
  if (node.print) {
    if (!node.print->ensure(plan, node, stop)) return f;
    f.peakDbfs = Decibels::ofGain(static_cast<double>(node.print->peak())).value;
  }
  f.extent = node.extent();
  const Placed placed{*node.ornament, plan.context()};
  f.landing = node.kind->landingFrame(placed);
  f.loop = node.kind->loopFigures(placed);
  const FrameRange heard = intersect(f.extent, {plan.song().firstFrame(), f.extent.end});
  if (!heard.empty()) measureBoth(plan, node, without, heard, stop, f);
  return f;
}

Song withoutOrnaments(Song song, const std::string& id) {
  for (std::size_t i = 0; i < song.ornaments.size(); ++i)
    if (id.empty() || song.ornaments[i]->id == id) {
      Ornament off = *song.ornaments[i];
      off.enabled = false;
      song.ornaments.set(i, std::move(off));
    }
  return song;
}

std::function<void(Frames, StereoSpan)> readerBeforeOrnaments(std::shared_ptr<const RenderPlan> plan,
                                                              const std::string& row, std::stop_token stop) {
  const auto index = plan->rowIndex(row);
  if (!index) return [](Frames, StereoSpan out) { out.clear(); };
  auto evaluator = std::make_shared<Evaluator>(*plan, Evaluator::Missing::compute, std::move(stop));
  auto planes = std::make_shared<Planes>();
  return [plan, evaluator, planes, i = *index](Frames from, StereoSpan out) {
    evaluator->planes(i, from, out.frames, *planes, 0);
    for (std::int64_t k = 0; k < out.frames; ++k) {
      out.left[k] = planes->dry.left()[k] + (planes->wetSounds ? planes->wet.left()[k] : 0);
      out.right[k] = planes->dry.right()[k] + (planes->wetSounds ? planes->wet.right()[k] : 0);
    }
  };
}

std::function<void(Frames, StereoSpan)> readerOfMix(std::shared_ptr<const RenderPlan> plan, std::stop_token stop) {
  auto evaluator = std::make_shared<Evaluator>(*plan, Evaluator::Missing::compute, std::move(stop));
  return [plan = std::move(plan), evaluator](Frames from, StereoSpan out) { evaluator->mix(from, out); };
}

std::function<void(Frames, StereoSpan)> readerOfPrint(std::shared_ptr<const OrnamentNode> node) {
  return [node](Frames from, StereoSpan out) {
    out.clear();
    if (node->print) node->print->addTo(from, out);
  };
}

} // namespace ivrin
