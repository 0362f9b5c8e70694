// A stereo feedback echo: what the delay throw, the finish's echo and the reverse reverb's are made of. Round the loop:
// delay, filters, saturation, ceiling; what it does not have costs nothing. With a pitch step see stepped_echoes.h.
#pragma once

#include "audio/buffer.h"
#include "dsp/dynamics/drive.h"
#include "dsp/dynamics/lookahead_limiter.h"

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>

namespace ivrin {

enum class EchoPattern { straight, pingPong, cross };

/// One for each side, left first.
using CutOfSides = std::array<std::optional<double>, 2>;

struct EchoSettings {
  double timeLeft = 24000, timeRight = 24000; // frames, ≥ 1, not whole in general
  EchoPattern pattern = EchoPattern::straight;
  /// Left, right; 0..0.98; over 1 it builds up: to the ceiling, where there is one.
  std::array<double, 2> feedback{0.5, 0.5};
  /// Where the feedback moves: its gains of the frames from `at` on, instead of `feedback`. Typically a curve.
  std::function<void(std::int64_t at, float* left, float* right, std::int64_t frames)> moving{};
  double drive = 0, driveReference = 1; // 0..1, against this peak level
  CutOfSides lowCutHz{}, highCutHz{};   // 12 dB per octave
  double swing = 0;                     // slow drift of the time each way, frames; typically up to 200
  std::array<double, 4> phase{};        // of the drift, radians: two for each side
  double flutter = 0;                   // and faster, 5 to 12 Hz, frames RMS, within the swing; typically 1
  std::uint64_t flutterSeed = 0;        // the same flutter for the same one
  std::optional<double> ceiling{};      // no sample leaving the loop is above this, amplitude
  /// So many frames are processed at most: a later echo is never heard, and needs no memory.
  std::int64_t longest = std::int64_t{1} << 40;
};

/// The limiter that holds the ceiling, which there is; its look-ahead has to have room in the shortest time.
LookaheadLimiter ceilingOf(const EchoSettings& settings, double sampleRate);
/// The saturation, which there is: oversampled as far as there is time for it.
Drive driveOf(const EchoSettings& settings, double sampleRate);

/// What a ping-pong sends round: both sides' middle, on the left alone. In place.
void toMiddle(StereoSpan io);

class EchoLoop {
 public:
  EchoLoop(const EchoSettings& settings, double sampleRate);
  ~EchoLoop();
  EchoLoop(EchoLoop&&) noexcept;
  EchoLoop& operator=(EchoLoop&&) noexcept;
  /// In place: the sound in, its echoes alone out. Echo k of an isolated sound is at k·time and feedback^(k−1).
  void process(StereoSpan io);
  /// Largest magnitude stored by the last call.
  float stored() const;
  /// What was stored is gone after so many frames.
  std::int64_t memoryFrames() const;
  /// Frames that are computed at a time: at most what the shortest time allows.
  std::int64_t block() const;

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

} // namespace ivrin
