// The interface between the player and a sound device, real or simulated.
#pragma once

#include <cstdint>
#include <string>

namespace ivrin {

/// What an output pulls from, on the device's own thread. An implementation never allocates, locks, waits, logs or
/// touches a file.
class AudioFeed {
 public:
  virtual ~AudioFeed() = default;
  /// Writes exactly `frames` frames, full scale ±1.
  virtual void fill(float* left, float* right, std::int64_t frames) noexcept = 0;
};

class Output {
 public:
  virtual ~Output() = default;
  /// As the user reads it.
  virtual std::string name() const = 0;
  virtual bool simulated() const = 0;
  /// Begins to pull from `feed`, which must live until stop(). Empty on success, else why not.
  virtual std::string start(AudioFeed& feed, int sampleRate) = 0;
  virtual void stop() = 0;
  /// Frames pulled at a time; known after start().
  virtual std::int64_t periodFrames() const = 0;
  /// True once the device has gone or no longer runs at the rate asked for.
  virtual bool lost() const = 0;
};

} // namespace ivrin
