// What can be told about an ornament once its print is there: for `ivrin-cli show` and the window's measure line.
#pragma once

#include "render/render_plan.h"

#include <functional>

namespace ivrin {

struct OrnamentFacts {
  FrameRange extent; // where the row may differ
  std::optional<Frames> landing;
  double peakDbfs = -200;                     // of the print
  double lufsWith = -200, lufsWithout = -200; // of the mix over the extent
  double lowsAddedDb = 0;                     // energy under 200 Hz of the mix, with against without
  std::optional<LoopFigures> loop;
};

/// Completes the print. Asked to stop it ends within a block of each print, with figures that mean nothing. `without`
/// is the plan of the same song with this ornament switched off.
OrnamentFacts factsOf(const RenderPlan& plan, const OrnamentNode& node, const RenderPlan& without,
                      std::stop_token stop = {});

/// The song with one ornament, or all of them (empty id), switched off.
Song withoutOrnaments(Song song, const std::string& id = {});

/// A row before its own ornaments, gain, pan and mute; silence outside. The reader keeps the plan alive and belongs to
/// one thread at a time. With `stop` requested, prints that are missing count as silence.
std::function<void(Frames, StereoSpan)> readerBeforeOrnaments(std::shared_ptr<const RenderPlan> plan,
                                                              const std::string& row, std::stop_token stop = {});
/// The same of the mix after its ornaments and its gain, before the limiter.
std::function<void(Frames, StereoSpan)> readerOfMix(std::shared_ptr<const RenderPlan> plan, std::stop_token stop = {});
/// What a print adds; silence outside.
std::function<void(Frames, StereoSpan)> readerOfPrint(std::shared_ptr<const OrnamentNode> node);

} // namespace ivrin
