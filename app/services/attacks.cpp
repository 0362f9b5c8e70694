#include "services/attacks.h"

#include "dsp/measure/onsets.h"

namespace ivrin {

std::vector<Frames> attacksIn(const RowReader& row, FrameRange range, double sampleRate, const std::stop_token& stop) {
  OnsetFinder finder(sampleRate);
  StereoBuffer block(16384);
  for (Frames at = range.begin; at < range.end && !stop.stop_requested(); at = at + Frames(block.frames())) {
    row(at, block.span());
    finder.add(block.left(), block.right(), block.frames());
  }
  std::vector<Frames> attacks;
  for (const Onset& o : finder.finish()) attacks.push_back(range.begin + Frames(o.frame));
  return attacks;
}

} // namespace ivrin
