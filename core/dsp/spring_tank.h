// A spring: loops whose delay grows with frequency up to a transition frequency, so that every echo of a knock is a
// falling chirp, smeared further each time round. Dispersion by chains of stretched first-order allpasses: V. Välimäki,
// J. Parker, J. S. Abel, "Parametric spring reverberation effect", JAES 58 (2010), section 2. Eight springs side by
// side, four to each side of the image, computed as one vector.
#pragma once

#include "audio/buffer.h"
#include "dsp/rest.h"
#include "dsp/ring.h"

#include <array>
#include <cstdint>
#include <vector>

namespace ivrin {

struct SpringDesign {
  double loopSeconds = 0.045; // of the mean spring
  double decaySeconds = 2.5;
  double damping = 0; // 0..1
  double swingSeconds = 0;
  bool held = false;
  std::uint64_t seed = 1;
};

class SpringTank {
 public:
  SpringTank(const SpringDesign& design, double sampleRate);
  void process(StereoSpan io);
  std::int64_t memoryFrames() const { return memory_; }
  float stored() const { return stored_; }

 private:
  static constexpr int kLanes = 8;
  static constexpr std::int64_t kBlock = 64;
  using Lanes = std::array<float, kLanes>;
  void step(StereoSpan io);

  void clear();

  std::int64_t block_ = kBlock, clock_ = 0, memory_ = 0, stretch_ = 1;
  Rest rest_;
  float stored_ = 0, outGain_ = 1;
  std::array<std::int64_t, kLanes> delay_{};
  Lanes coefficient_{}, feedback_{}, pole_{}, damp_{};
  std::vector<Ring> rings_;
  std::vector<float> chain_;                 // state of the allpasses: section, slot, lane
  std::array<std::array<double, 5>, 2> low_; // biquads at the transition frequency: b0 b1 b2 a1 a2
  std::array<float, 2 * 2 * kLanes> lowState_{};
  std::vector<float> line_; // scratch of one section
  std::vector<float> x_;    // kBlock by kLanes
};

} // namespace ivrin
