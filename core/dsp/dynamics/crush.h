// Fewer steps of the level and a lower rate, held from tick to tick: the images are the point.
#pragma once

#include "audio/buffer.h"

#include <cmath>
#include <optional>

namespace ivrin {

class Crush {
 public:
  /// `steps` of the level in 0..1, 0: untouched; `holdHz` none, or not under the sample rate: not held.
  Crush(double steps, std::optional<double> holdHz, double sampleRate)
      : steps_(steps)
      , advance_(holdHz && *holdHz < sampleRate ? *holdHz / sampleRate : 0) {}
  void process(StereoSpan io) {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      if (advance_ > 0) {
        if (phase_ >= 1 || !started_) {
          started_ = true;
          phase_ -= std::floor(phase_);
          held_[0] = io.left[i];
          held_[1] = io.right[i];
        }
        phase_ += advance_;
        io.left[i] = held_[0];
        io.right[i] = held_[1];
      }
      if (steps_ > 0) {
        io.left[i] = static_cast<float>(std::round(io.left[i] * steps_) / steps_);
        io.right[i] = static_cast<float>(std::round(io.right[i] * steps_) / steps_);
      }
    }
  }

 private:
  double steps_, advance_, phase_ = 0;
  float held_[2] = {};
  bool started_ = false;
};

/// Steps of the level in 0..1 that so many bits have; 24 and more leave it alone.
inline double crushSteps(double bits) {
  return bits < 24 ? std::exp2(bits - 1) : 0;
}

} // namespace ivrin
