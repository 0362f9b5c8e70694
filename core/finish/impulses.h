// The impulse responses a song uses, loaded before anything is computed.
#pragma once

#include "dsp/space/convolver.h"

#include <map>
#include <memory>
#include <string>

namespace ivrin {

inline constexpr double kLongestImpulseSeconds = 12;

struct Impulse {
  ImpulseResponse audio;   // at the song's rate, energy 1 with both sides driven alike (mean of both sides)
  double decaySeconds = 1; // T60, from the slope between −5 and −25 dB
  std::string digest;      // what it is made from
  std::string note;        // "cut to 12 s"; may be empty
};

/// Brings to energy 1, cuts what is too long with a fade, measures the decay.
std::shared_ptr<const Impulse> makeImpulse(ImpulseResponse audio, double sampleRate, std::string digest);
/// The same by an exponential window that makes it die in `t60` seconds, where it would take longer by itself.
ImpulseResponse windowed(const Impulse& impulse, double t60, double sampleRate);

class Impulses {
 public:
  void set(const std::string& file, std::shared_ptr<const Impulse> impulse) { loaded_[file] = std::move(impulse); }
  bool has(const std::string& file) const { return loaded_.contains(file); }
  /// One that ships, or one that was loaded; nothing where there is none: the space is silent then.
  static std::shared_ptr<const Impulse> shipped(const std::string& name, double sampleRate);
  std::shared_ptr<const Impulse> find(const std::string& file, double sampleRate) const;
  /// Frames of the one that find() gives, or shipped() where nothing was loaded: known before one that ships is
  /// computed.
  static std::int64_t framesOf(const Impulses* loaded, const std::string& file, double sampleRate);

 private:
  std::map<std::string, std::shared_ptr<const Impulse>> loaded_;
};

} // namespace ivrin
