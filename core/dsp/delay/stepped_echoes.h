// Echoes of which each is at another pitch: what an echo loop with a pitch step in it would give if the step lost
// nothing. No sound goes round: each pass is made from what was sent, shifted once by all of its steps (stretch.h, so
// that its attacks stay whole and in their place), then goes through the loop's filters and saturation as often as it
// would have gone round.
#pragma once

#include "dsp/delay/echo_loop.h"

#include <functional>
#include <memory>

namespace ivrin {

class SteppedEchoes {
 public:
  /// Writes what is sent, frames from..from+frames−1.
  using Feed = std::function<void(std::int64_t from, StereoSpan out)>;
  /// As an EchoLoop of these settings. `frames` are sent; `semitones`: what pass 1, 2, … is shifted by in all, −24..24.
  /// So that work is bounded, 32 passes sound at once, of driven ones 12 (one more is left out), and a sound goes
  /// through 16 filters and three saturations at most, which then stand for all.
  SteppedEchoes(const EchoSettings& settings, double sampleRate, Feed sent, std::int64_t frames,
                std::function<double(int pass)> semitones);
  ~SteppedEchoes();
  SteppedEchoes(SteppedEchoes&&) noexcept;
  SteppedEchoes& operator=(SteppedEchoes&&) noexcept;
  /// The next frames of the echoes.
  void render(StereoSpan out);
  /// Largest magnitude of a pass in the last call.
  float stored() const;
  /// What was stored has been heard after so many frames.
  std::int64_t memoryFrames() const;

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

} // namespace ivrin
