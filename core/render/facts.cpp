#include "render/facts.h"

#include "dsp/denormals.h"
#include "dsp/loudness.h"
#include "render/evaluator.h"

namespace ivrin {
namespace {

/// Of nothing, when asked to stop.
Loudness mixOver(const RenderPlan& plan, FrameRange range, const std::stop_token& stop) {
  constexpr std::int64_t kAtOnce = 1 << 16;
  StereoBuffer block(std::min(kAtOnce, range.length()));
  LoudnessMeter meter(plan.song().sampleRate, false);
  Evaluator mix(plan, Evaluator::Missing::compute, stop);
  for (std::int64_t at = 0; at < range.length(); at += kAtOnce) {
    if (stop.stop_requested()) return {};
    const StereoSpan part = block.span().part(0, std::min(kAtOnce, range.length() - at));
    mix.mix(range.begin + Frames(at), part);
    meter.add(part.left, part.right, part.frames);
  }
  return meter.finish();
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
  if (heard.empty()) return f;
  const Loudness with = mixOver(plan, heard, stop), dry = mixOver(without, heard, stop);
  f.lufsWith = with.integratedLufs;
  f.lufsWithout = dry.integratedLufs;
  f.lowsAddedDb = with.lowEnergyDb - dry.lowEnergyDb;
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

std::function<void(Frames, StereoSpan)> readerOfPrint(std::shared_ptr<const OrnamentNode> node) {
  return [node](Frames from, StereoSpan out) {
    out.clear();
    if (node->print) node->print->addTo(from, out);
  };
}

} // namespace ivrin
