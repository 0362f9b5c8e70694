// Time and pitch apart, with attacks whole: a sound drawn out in windows (turned_windows.h) and read at its pitch by
// the variable-speed reader. Output frame n sounds what lies at origin + n/timeRatio; an attack is heard there to the
// sample, once, undrawn (at another pitch: read at that speed), and nothing of it before. A steady tone comes out as
// one: all else is 100 dB under it.
#pragma once

#include "audio/buffer.h"

#include <functional>
#include <memory>

namespace ivrin {

class Stretch {
 public:
  /// Writes source frames from..from+frames−1, silence where there are none. `from` may be negative.
  using Feed = std::function<void(std::int64_t from, StereoSpan out)>;
  /// `timeRatio` 1..8 (2 = twice as long), `pitchRatio` 1/16..16. `sampleRate` in Hz. Without begin() it begins at
  /// source frame 0. Up to `back` frames before what was read last can be read again at little cost.
  Stretch(double sampleRate, double timeRatio, double pitchRatio, Feed feed, std::int64_t back = 0);
  ~Stretch();
  Stretch(Stretch&&) noexcept;
  Stretch& operator=(Stretch&&) noexcept;
  /// From here on output frame 0 sounds source frame `origin`. Gives what a new one would give.
  void begin(std::int64_t origin);
  /// The output frames from `from` on (≥ 0), any number, the same bits in whatever order they are asked for. To go on
  /// costs least; what lies further ahead costs half as much as to go there; further back than `back` it begins anew.
  void read(std::int64_t from, StereoSpan out);
  /// As read(), for much at once, on so many threads: the same bits. The feed is asked by one of them.
  void readOn(int threads, std::int64_t from, StereoSpan out);
  /// The pitch at an output frame (≥ 0), asked every few frames between which it goes in straight lines; without it, it
  /// stays as it began. Begins anew.
  void follow(std::function<double(std::int64_t frame)> pitchRatio);
  /// So many source frames at most are read before the origin, and after the place of what has been asked for.
  static std::int64_t around(double sampleRate, double lowestPitch = 1);

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

} // namespace ivrin
