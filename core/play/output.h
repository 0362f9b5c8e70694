// The interface between the player and a sound device, real or simulated.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

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
  /// Begins to pull from `feed`, which must live until stop() and gives sound at `sampleRate`; a device that runs at
  /// another rate converts. Empty on success, else why not.
  virtual std::string start(AudioFeed& feed, int sampleRate) = 0;
  virtual void stop() = 0;
  /// Frames pulled at a time; known after start().
  virtual std::int64_t periodFrames() const = 0;
  /// Whether it has asked for sound at all since start().
  virtual bool everAsked() const = 0;
  /// True once the device has gone or no longer runs at the rate asked for.
  virtual bool lost() const = 0;
};

/// What the user chose to listen through.
struct OutputChoice {
  std::string device;     // its name; empty: the default one
  int sampleRate = 0;     // of the device; 0: the song's
  int bufferFrames = 256; // asked for; the device may give another
  friend bool operator==(const OutputChoice&, const OutputChoice&) = default;
};

struct OutputDevice {
  std::string name;
  std::vector<int> sampleRates;
  bool isDefault = false;
};

/// Where outputs come from.
class OutputSource {
 public:
  virtual ~OutputSource() = default;
  virtual std::vector<OutputDevice> devices() = 0;
  /// Nothing when there is no such device.
  virtual std::unique_ptr<Output> open(const OutputChoice& choice) = 0;
};

} // namespace ivrin
