// Time and pitch apart: one interface to the stretch library (Rubber Band, its finer engine, real-time mode). The start
// delay is taken out, so that output frame n sounds what lies at origin + n/timeRatio; what lies before the origin is
// heard by the engine first, so that an attack on it is not smeared by a cold start. In a long silence the engine
// rests, and what comes after it is begun anew, as at an origin.
#pragma once

#include "audio/buffer.h"

#include <functional>
#include <memory>

namespace ivrin {

class Stretch {
 public:
  /// Writes source frames from..from+frames−1, silence where there are none. `from` may be negative.
  using Feed = std::function<void(std::int64_t from, StereoSpan out)>;
  /// `timeRatio` 1..8 (2 = twice as long), `pitchRatio` of the begin 1/16..8. `sampleRate` in Hz. Without begin() it
  /// begins at source frame 0.
  Stretch(double sampleRate, double timeRatio, double pitchRatio, Feed feed);
  ~Stretch();
  Stretch(Stretch&&) noexcept;
  Stretch& operator=(Stretch&&) noexcept;
  /// From here on, beginning with output frame 0 at source frame `origin`. Gives what a new one would give.
  void begin(std::int64_t origin);
  /// The next out.frames frames, any number.
  void render(StereoSpan out);
  /// The pitch at an output frame (≥ 0), asked every kBlock frames; without it, it stays as it began.
  void follow(std::function<double(std::int64_t frame)> pitchRatio);
  static constexpr std::int64_t kBlock = 256;    // frames fed at once
  static constexpr std::int64_t kAround = 12288; // read at most so much before the origin and after what has been asked
  /// An attack so many source frames after the origin, or more, is where it should be within 2 ms; one on the origin is
  /// exact; between them it may be early.
  static constexpr std::int64_t kRunUp = 5120;

 private:
  struct Engine;
  void wake(std::int64_t origin, std::int64_t late);
  void feedBlock();
  std::int64_t rest(StereoSpan out);
  double rate_, timeRatio_, pitchRatio_;
  Feed feed_;
  std::function<double(std::int64_t)> pitch_;
  std::int64_t origin_ = 0;
  std::int64_t given_ = 0;         // output frames since begin()
  std::int64_t next_ = 0;          // source frame to be fed
  std::unique_ptr<Engine> engine_; // none: it rests; all from a while before the sound's place up to next_ is silence
  StereoBuffer block_;             // of the source
};

} // namespace ivrin
