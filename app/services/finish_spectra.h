// This file measures what one processor of an ornament's finish does to its print, before and after it.
#pragma once

#include "render/render_plan.h"

#include <stop_token>

namespace ivrin {

/// Levels in bands over the drawings' frequency axis (20 Hz to 20 kHz), dB re full scale.
struct FinishSpectra {
  std::string ornament;
  std::size_t index = 0; // in the finish
  std::vector<float> before, after;
};

/// The ornament's print with its finish up to processor `index`, without it and with it. Nothing when asked to stop, or
/// where there is no such processor.
std::optional<FinishSpectra> measureFinish(const RenderPlan& plan, const SongAudio& audio, PrintCache& cache,
                                           const std::string& ornament, std::size_t index, std::stop_token stop);

} // namespace ivrin
