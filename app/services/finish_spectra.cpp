#include "services/finish_spectra.h"

#include "dsp/measure/spectrum.h"
#include "song/edits.h"

namespace ivrin {

std::optional<FinishSpectra> measureFinish(const RenderPlan& plan, const SongAudio& audio, PrintCache& cache,
                                           const std::string& ornament, std::size_t index, std::stop_token stop) {
  constexpr int kBandCount = 96;
  const Ornament* o = plan.song().ornament(ornament);
  if (!o || index >= o->finish.size()) return std::nullopt;
  const auto measured = [&](std::size_t processors) {
    Ornament trial = *o;
    trial.finish.resize(processors);
    trial.enabled = true;
    const auto tried =
        RenderPlan::make(withOrnamentReplaced(plan.song(), std::move(trial)), audio, allKinds(), cache, &plan);
    const auto node = tried->node(ornament);
    if (!node || !node->print || !node->print->ensure(*tried, *node, stop)) return std::vector<float>();
    StereoBuffer b(node->print->extent().length());
    node->print->addTo(node->print->first(), b.span());
    return bandLevels(b, tried->map().sampleRate(), kBandCount);
  };
  FinishSpectra s{ornament, index, measured(index), {}};
  if (!stop.stop_requested()) s.after = measured(index + 1);
  if (stop.stop_requested()) return std::nullopt;
  return s;
}

} // namespace ivrin
