// A song played on a device that runs at another rate: band-limited conversion inside the device's callback, by a
// polyphase windowed-sinc filter for the exact ratio of the two rates (Crochiere and Rabiner, "Multirate Digital Signal
// Processing", section 2.3.3). Allocates nothing after the making.
#pragma once

#include "play/output.h"

#include <vector>

namespace ivrin {

class RateFeed : public AudioFeed {
 public:
  /// Pulls from `song` at `songRate` and gives `deviceRate`, both 8000..192000 Hz. `song` must outlive it.
  RateFeed(AudioFeed& song, int songRate, int deviceRate);
  void fill(float* left, float* right, std::int64_t frames) noexcept override;
  /// How much later a frame of the song leaves, in frames of the song.
  std::int64_t delay() const { return half_; }

 private:
  static constexpr std::int64_t kChunk = 256;
  void pull() noexcept;
  AudioFeed& song_;
  std::int64_t up_, down_;     // device frames : song frames, lowest terms
  std::int64_t half_;          // taps on each side
  std::vector<float> kernels_; // up_ phases of 2·half_ taps
  std::vector<float> left_, right_;
  std::int64_t have_ = 0, at_ = 0, phase_ = 0; // frames held, first tap of the next output, its phase
};

} // namespace ivrin
