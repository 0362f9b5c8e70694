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
#include <optional>

namespace ivrin {

enum class ReverbCharacter { plate, room, hall, spring };

struct ReverbSettings {
  ReverbCharacter character = ReverbCharacter::plate;
  double decaySeconds = 2.5;   // T60 at 1 kHz, with damping 0 at all frequencies; 0.05..60
  double size = 0.5;           // 0..1; twice the lengths from one end to the middle, twice again to the other
  double damping = 0;          // 0..1; how much sooner the highs die, as far as the character has it
  double modulation = 0;       // 0..1; 0 is off
  bool held = false;           // nothing decays; the level is that of the decay set
  std::uint64_t seed = 1;      // of lengths and phases
  std::optional<double> low{}; // T60 at 125 Hz against that at 1 kHz, 0.25..4; the character's own where there is none
};

class Reverb {
 public:
  Reverb(const ReverbSettings& settings, double sampleRate);
  /// How long it takes to build up before it begins to die: a line's length, on the mean (a spring's at once).
  static double buildUpSeconds(const ReverbSettings& settings);
  ~Reverb();
  Reverb(Reverb&&) noexcept;
  /// In place: the sound in, the space alone out. The first sound comes within 3 ms, a hall's within 30.
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
