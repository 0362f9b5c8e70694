// Attacks in a sound: where something begins to be played.
#pragma once

#include <cstdint>
#include <vector>

namespace ivrin {

struct Onset {
  std::int64_t frame = 0; // from the first frame added
  double riseDb = 0;      // over what sounded before
};

/// Finds attacks from the rise of energy in 1 ms steps (of the sound and of its difference, so that an attack shows
/// over a sustained bass; Bello et al., "A tutorial on onset detection in music signals", 2005, section III.A), placed
/// to the frame where the rise begins. Steady noise and tones give none; two attacks are at least 50 ms apart.
class OnsetFinder {
 public:
  explicit OnsetFinder(double sampleRate);
  /// The next frames, any number at a time.
  void add(const float* left, const float* right, std::int64_t frames);
  /// All attacks, ascending.
  std::vector<Onset> finish() const;

 private:
  std::int64_t hop_;
  std::int64_t inHop_ = 0;
  double energy_ = 0, edge_ = 0;
  float lastLeft_ = 0, lastRight_ = 0;
  float largest_ = 0;
  struct Step {
    float energy, edge, largest; // mean power, mean power of the difference, largest magnitude
    std::int32_t firstLoud;      // frame within the step where half its largest magnitude is first reached
  };
  std::vector<float> block_;
  std::vector<Step> steps_;
};

} // namespace ivrin
