// A stereo feedback echo with constant settings: what the finish's echo and the reverse reverb's are made of. (The
// delay throw has its own loop, with curves, a limiter and a pitch step.)
#pragma once

#include "audio/buffer.h"

#include <cstdint>
#include <memory>
#include <optional>

namespace ivrin {

enum class EchoPattern { straight, pingPong, cross };

struct EchoSettings {
  double timeLeft = 24000, timeRight = 24000; // frames, ≥ 1, not whole in general
  EchoPattern pattern = EchoPattern::straight;
  double feedback = 0.5; // 0..0.98
  double drive = 0;      // 0..1, against full scale
  std::optional<double> lowCutHz, highCutHz;
};

class EchoLoop {
 public:
  EchoLoop(const EchoSettings& settings, double sampleRate);
  ~EchoLoop();
  EchoLoop(EchoLoop&&) noexcept;
  /// In place: the sound in, its echoes alone out. Echo k of an isolated sound is at k·time and feedback^(k−1).
  void process(StereoSpan io);
  float stored() const;
  std::int64_t memoryFrames() const;

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

} // namespace ivrin
