// A spring reverb: three kinds of motion of a coil. The slow one below a transition frequency, whose delay grows with
// frequency, so that every echo of a knock is a rising chirp, smeared further each time round; the fast and faint one
// up to the top, which falls; and the springs' own trembling, which keeps echoes from falling on one another: V.
// Välimäki, J. Parker, J. S. Abel, "Parametric spring reverberation effect", JAES 58 (2010): section 2 (chains of
// stretched allpasses in a loop, its delay moved by slow noise, a second loop without stretching 2.3 times as fast).
// Four springs of unlike lengths, computed as one vector; both sides hear all of them, with signs that leave the sides
// nothing in common, wherever the source stands.
#pragma once

#include "audio/buffer.h"
#include "dsp/delay/ring.h"
#include "dsp/space/dispersion.h"
#include "dsp/space/rest.h"

#include <array>
#include <cstdint>
#include <vector>

namespace ivrin {

struct SpringDesign {
  double loopSeconds = 0.045; // of the mean spring
  double decaySeconds = 2.5;
  double damping = 0;      // 0..1
  double swingSeconds = 0; // each way, of the springs' trembling
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
  static constexpr int kSprings = 4, kSections = 60, kFastSections = 32;
  static constexpr std::int64_t kBlock = 64;
  using Each = std::array<float, kSprings>;
  void step(StereoSpan io);
  void clear();
  void tremble();
  double trembling(int spring, std::int64_t block) const;
  void slow(StereoSpan in, float* out, std::int64_t n);
  void fast(StereoSpan in, StereoSpan out);

  std::int64_t block_ = kBlock, clock_ = 0, memory_ = 0, stretch_ = 1;
  double rate_;
  Rest rest_;
  float stored_ = 0, outGain_ = 1;
  std::uint64_t seed_;
  double swing_ = 0; // frames
  std::array<std::int64_t, kSprings> delay_{};
  std::array<double, kSprings> from_{}, to_{}; // the delays at this block's two ends
  Each coefficient_{}, feedback_{}, pole_{}, damp_{};
  std::vector<Ring> rings_;
  std::vector<float> chain_;                 // state of the allpasses: section, slot, spring
  std::array<std::array<double, 5>, 2> low_; // biquads at the transition frequency: b0 b1 b2 a1 a2
  std::array<float, 2 * 2 * kSprings> lowState_{};
  std::vector<float> line_;      // scratch of four sections
  std::vector<float> x_, moved_; // kBlock by kSprings; kBlock
  struct Fast {                  // one for each side
    std::int64_t delay = 1;
    float feedback = 0;
    Ring ring{1, 1};
    std::vector<float> out;
  };
  std::array<Fast, 2> fast_;
  Dispersion dispersion_{std::vector<float>(kFastSections, -0.6f)}; // of both
};

} // namespace ivrin
