// A feedback delay network: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial reverberators",
// AES 90th Convention (1991). Everything that rings, the allpasses in the lines included, is a lossless prototype whose
// unit delays are each turned down by the same factor (L. Dahl and J.-M. Jot, "A reverberator based on absorbent
// all-pass filters", DAFx 2000): without damping all modes die in exactly the same time, so that none is left ringing.
// The lines' filters give every frequency its own time (attenuation.h); lines that move lose nothing by it
// (moving_read.h).
//
//   in → tone → dispersion → diffusion (allpasses in series, per side) → + → line → attenuation → allpass → Hadamard ┐
//                                                                         ↑     ↓ taps → out                         │
//                                                                         └───────────────────────────────────────────┘
#pragma once

#include "audio/buffer.h"
#include "dsp/delay/ring.h"
#include "dsp/space/attenuation.h"
#include "dsp/space/dispersion.h"
#include "dsp/space/rest.h"

#include <array>
#include <cstdint>
#include <optional>
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
  bool disperses = false; // the highs arrive first
  double toneDb = 0;      // of the highs that go in
  int taps = 2;           // places where each side hears each line
  double tapsFrom = 0;    // 0..1: the share of a line that has gone by before it is heard; over 0 it builds up slowly
  struct Tap {
    double seconds, gain;
  };
  std::vector<Tap> early[2][2]; // [from side][to side]: reflections heard before and within the network's build-up
  double earlyLevel = 0;
  DecayCurve decay;
  double swingSeconds = 0; // of the lines that move, each way
  bool held = false;
  std::uint64_t seed = 1;
};

class DelayNetwork {
 public:
  DelayNetwork(const NetworkDesign& design, double sampleRate);
  void process(StereoSpan io);
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
    std::int64_t delay;
    bool moves = false;
    double sine = 0, cosine = 0, turnSine = 0, turnCosine = 0; // of the swing now, and by how much it turns in a block
    double from = 0, to = 0;                                   // the moving delay at this block's two ends
    Ring ring;
    std::vector<Allpass> inner; // none or one
  };
  struct Tap { // of a line, or of what comes in at a side
    std::size_t of;
    std::int64_t delay;
    float gain;
  };
  static constexpr std::int64_t kBlock = 128;
  void step(StereoSpan io);
  void clear();
  void runAllpass(Allpass& a, float* x, std::int64_t n) const;
  void swing();
  void tone(StereoSpan io);
  template <typename RingOf> void hear(const std::vector<Tap>& taps, RingOf ringOf, float* out, std::int64_t n) const;

  std::int64_t block_ = kBlock, clock_ = 0, memory_ = 0;
  Rest rest_;
  double swing_ = 0;
  float stored_ = 0;
  float tone_[3] = {1, 0, 0}, toneState_[2] = {}; // b0, b1, a1
  std::optional<Dispersion> dispersion_;
  std::vector<Line> lines_;
  std::vector<Allpass> diffusion_[2];
  std::vector<Ring> early_; // none, or left and right
  std::vector<Tap> heard_[2], earlyHeard_[2];
  Attenuation attenuation_;
  std::vector<float> scratch_; // 16 lines by kBlock
};

} // namespace ivrin
