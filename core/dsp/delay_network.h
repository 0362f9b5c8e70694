// A feedback delay network: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators",
// AES 90th Convention (1991). Everything that rings, the allpasses in the lines included, is a lossless prototype whose
// unit delays are each turned down by the same factor (L. Dahl and J.-M. Jot, "A reverberator based on absorbent
// all-pass filters", DAFx 2000): without damping all modes die in exactly the same time, so that none is left ringing.
//
//   in → diffusion (allpasses in series, per side) → + → line → gain, damping → allpass → Hadamard ┐
//                                                    ↑            ↓ taps → out                      │
//                                                    └──────────────────────────────────────────────┘
#pragma once

#include "audio/buffer.h"
#include "dsp/rest.h"
#include "dsp/ring.h"

#include <array>
#include <cstdint>
#include <vector>

namespace ivrin {

inline constexpr int kNetworkLines = 16;

/// Lengths in seconds, before they are turned into whole frames.
struct NetworkDesign {
  std::array<double, kNetworkLines> line{};
  std::array<double, kNetworkLines> inner{}; // allpass in the line; 0: none
  double innerGain = 0.5;
  std::vector<double> diffusionLeft, diffusionRight; // allpasses in series
  double diffusionGain = 0.65;
  struct Tap {
    double seconds, gain;
  };
  std::vector<Tap> earlyLeft, earlyRight; // reflections heard before and within the network's build-up
  double early = 0;                       // their level
  double decaySeconds = 2.5;
  double dampedSeconds = 2.5; // decay at dampedHz
  double dampedHz = 6000;
  double swingSeconds = 0; // of the modulated lines, each way
  bool held = false;
  std::uint64_t seed = 1;
};

class DelayNetwork {
 public:
  DelayNetwork(const NetworkDesign& design, double sampleRate);
  void process(StereoSpan io);
  /// T60 at one frequency: what the lines lose over the time they take.
  static double decayAt(const NetworkDesign& design, double hz, double sampleRate);
  /// Multiplies what is heard of each side.
  void trim(float left, float right);
  std::int64_t memoryFrames() const { return memory_; }
  float stored() const { return stored_; }

 private:
  struct Allpass {
    std::int64_t delay;
    float gain, loss; // coefficient; loss of the delay
    Ring ring;
  };
  struct Line {
    std::int64_t delay, tap;
    bool moves = false;
    double sine = 0, cosine = 0, turnSine = 0, turnCosine = 0; // of the swing now, and by how much it turns in a block
    double from = 0, to = 0;                                   // the moving delay at this block's two ends
    std::int64_t whole = 0, wholeAfter = 0, crossing = 0;      // its whole part, and where in the block it changes
    Ring ring;
    std::vector<Allpass> inner; // none or one
  };
  static constexpr std::int64_t kBlock = 128;
  void step(StereoSpan io);
  void clear();
  void runAllpass(Allpass& a, float* x, std::int64_t n) const;
  void swing();
  void readMoving(const Line& line, float* out, std::int64_t n) const;

  std::int64_t block_ = kBlock, clock_ = 0, memory_ = 0;
  Rest rest_;
  double swing_ = 0;
  float stored_ = 0;
  std::vector<Line> lines_;
  std::vector<Allpass> diffusion_[2];
  std::vector<Ring> early_; // none, or left and right
  struct Tap {
    std::int64_t delay;
    float gain;
  };
  std::vector<Tap> taps_[2];
  std::vector<float> scratch_;                                                           // 16 lines by kBlock
  float gain_[kNetworkLines] = {}, pole_[kNetworkLines] = {}, damp_[kNetworkLines] = {}; // y = gain·x + pole·y'
  float outLeft_[kNetworkLines] = {}, outRight_[kNetworkLines] = {};                     // of the taps
};

} // namespace ivrin
