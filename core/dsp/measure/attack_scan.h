// The attacks of a sound as it comes in, for what keeps them whole: where it rises within 2 ms by 7 dB over all that
// sounded in the 32 ms before (the sound itself or its difference, so that one shows over a sustained bass too).
// Whether there is one near a frame depends on the sound around it alone, not on where the scan began. For the attacks
// that people are shown see onsets.h.
#pragma once

#include "audio/buffer.h"

#include <deque>
#include <vector>

namespace ivrin {

class AttackScan {
 public:
  static constexpr std::int64_t kNone = std::int64_t{1} << 60;
  struct Attack {
    std::int64_t frame = kNone; // margin() before it is heard
    double rise = 1;            // power, over what sounded before
  };
  explicit AttackScan(double sampleRate);
  /// To be begun at least so many frames before the first attack wanted.
  std::int64_t runUp() const { return (kBefore + 2 * kNear) * hop_; }
  /// Attacks are known up to so many frames before the last one added.
  std::int64_t behind() const { return (kMean + 3 * kNear + 2) * hop_; }
  std::int64_t margin() const { return margin_; }
  /// Forgets all; the next frames added are those from `at` on.
  void begin(std::int64_t at);
  void add(StereoSpan frames);
  /// The first one at or after `from` that is known; its frame is kNone without any.
  Attack next(std::int64_t from) const;
  /// None before this frame will be asked for.
  void letGo(std::int64_t before);

 private:
  static constexpr std::int64_t kMean = 4, kBefore = 64, kNear = 8; // bins
  struct Rise {
    float by = 0;
    bool edge = false; // of the difference
  };
  Rise riseAt(std::int64_t bin) const;
  bool highest(std::int64_t bin) const;
  std::int64_t begins(std::int64_t bin, bool edge) const;

  std::int64_t hop_, margin_;
  std::int64_t firstBin_ =
      0; // of those kept; their grid counts from frame 0, so that they are the same wherever it begins
  std::int64_t firstFrame_ = 0;
  StereoBuffer sound_; // from firstFrame_
  std::vector<float> powers_[2],
      means_[2]; // of each bin, of the sound and of its difference; over it and the next ones
  std::vector<Rise> rises_;
  std::int64_t decided_ = 0; // bins, from firstBin_
  std::deque<Attack> found_;
};

} // namespace ivrin
