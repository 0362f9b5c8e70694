// A sound held for ever: what sounds steadily in it goes on as a small choir of tones that neither loop nor end.
// Partials are the peaks of its mean spectrum, placed between the bins by a parabola through the logarithms (J. O.
// Smith and X. Serra, "PARSHL", Proc. ICMC 1987), each as strong as the energy around it; each is sung three times, a
// hair apart, on the left, in the middle and on the right.
#pragma once

#include "audio/buffer.h"

#include <cstdint>
#include <functional>
#include <vector>

namespace ivrin {

class HeldTones {
 public:
  static constexpr int kMostPartials = 64;
  /// `read` gives the sound from a frame on, `frames` long. Of a sound over a fifth of a second the first 60 ms, its
  /// attack, are left out. The same for the same seed.
  HeldTones(double sampleRate, std::uint64_t seed, std::int64_t frames,
            const std::function<void(std::int64_t from, StereoSpan out)>& read);
  /// Tones there are, four for each partial; none where nothing sounds.
  std::size_t size() const { return tones_; }
  /// Frames `from` on; any order, the same samples. Its power, both sides together, is 1 (0 dB RMS).
  void render(std::int64_t from, StereoSpan out);

 private:
  struct Tone {
    double step, phase; // radians
    float left, right;
  };
  static constexpr std::size_t kLanes = 8;
  /// Tones side by side, x[n+1] = 2 cos(step) x[n] − x[n−1]; the last ones may be silent.
  struct Lanes {
    double step[kLanes]{}, phase[kLanes]{}, twice[kLanes]{}, left[kLanes]{}, right[kLanes]{};
    double now[kLanes]{}, before[kLanes]{};
  };
  std::size_t tones_ = 0;
  std::vector<Lanes> lanes_;
};

} // namespace ivrin
