// A sound of some seconds at another pitch (stretch.h), made as far as it is asked for and kept: whoever asks for the
// same sound at the same pitch again, after an edit of something else, has it at once.
#pragma once

#include "audio/buffer.h"
#include "dsp/speed/stretch.h"

#include <memory>
#include <mutex>

namespace ivrin {

class ShiftedSound {
 public:
  ShiftedSound(std::shared_ptr<const StereoBuffer> sound, double semitones, double sampleRate);
  /// Frames from `from` on, silence before its begin and where it has died away. Any thread.
  void read(std::int64_t from, StereoSpan out);

  /// That of this sound and pitch. The latest are kept, up to 64 MB; `semitones` −24..24.
  static std::shared_ptr<ShiftedSound> of(std::shared_ptr<const StereoBuffer> sound, double semitones,
                                          double sampleRate);

 private:
  bool is(const StereoBuffer& sound, double semitones, double sampleRate) const;
  std::int64_t bytes() const;
  std::shared_ptr<const StereoBuffer> sound_;
  double semitones_, rate_;
  std::mutex mutex_;
  Stretch stretch_;
  StereoBuffer shifted_;
  std::int64_t made_ = 0; // frames of it
};

} // namespace ivrin
