// Algorithmic reverb with four characters.
//
// Plate, room and hall are a feedback delay network of 16 lines mixed by a Hadamard matrix (delay_network.h); spring is
// a set of dispersive loops (spring_tank.h). All are deterministic in their settings, seed and sample rate, and give
// the same samples whatever the sizes of the calls.
//
// Level: with damping off the energy of the impulse response is 1 for each side with both sides driven alike, so that a
// steady noise comes out as loud as it went in whatever the decay.
#pragma once

#include "audio/buffer.h"

#include <memory>

namespace ivrin {

enum class ReverbCharacter { plate, room, hall, spring };

struct ReverbSettings {
  ReverbCharacter character = ReverbCharacter::plate;
  double decaySeconds = 2.5; // T60 of all frequencies with damping 0; 0.05..60
  double size = 0.5;         // 0..1; twice the lengths from one end to the middle, twice again to the other
  double damping = 0;        // 0..1; how much sooner the highs die
  double modulation = 0;     // 0..1; 0 is off
  bool held = false;         // nothing decays; the level is that of the decay set
  std::uint64_t seed = 1;    // of lengths and phases
};

class Reverb {
 public:
  Reverb(const ReverbSettings& settings, double sampleRate);
  /// T60 at one frequency with the damping that is set (plate, room, hall; a spring's is its decay).
  static double decayAt(const ReverbSettings& settings, double hz, double sampleRate);
  ~Reverb();
  Reverb(Reverb&&) noexcept;
  /// In place: the sound in, the space alone out. The first sound comes within a few frames.
  void process(StereoSpan io);
  /// Frames since anything at or over `floor` was last stored, at least; what is older than memoryFrames() is gone.
  std::int64_t memoryFrames() const;
  /// Largest magnitude stored during the last call.
  float stored() const;

 private:
  class Body;
  class Network;
  class Springs;
  std::unique_ptr<Body> body_;
};

} // namespace ivrin
