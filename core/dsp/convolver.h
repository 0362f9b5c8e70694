// Convolution with an impulse response by large blocks (overlap-add; T. G. Stockham, "High-speed convolution and
// correlation", AFIPS 1966), FFTW single precision. Nothing here runs in real time: a block may be as long as the
// response, which is where the method is fastest.
#pragma once

#include "audio/buffer.h"

#include <functional>
#include <memory>

namespace ivrin {

/// The spectra of an impulse response, made once and shared between convolvers on any thread.
class ImpulseSpectrum;
/// `impulse` must not be empty.
std::shared_ptr<const ImpulseSpectrum> spectrumOf(const StereoBuffer& impulse);

class Convolver {
 public:
  /// Gives the next frames of what goes in, in order, without end (silence after its last).
  using Feed = std::function<void(StereoSpan out)>;
  Convolver(std::shared_ptr<const ImpulseSpectrum> impulse, Feed feed);
  ~Convolver();
  /// The next frames of what comes out: left with the response's left, right with its right.
  void read(StereoSpan out);
  /// Frames of the response.
  std::int64_t length() const;

 private:
  void nextBlock();
  std::shared_ptr<const ImpulseSpectrum> impulse_;
  Feed feed_;
  StereoBuffer ready_; // what is whole, then what still waits for later blocks
  std::int64_t taken_ = 0, whole_ = 0;
};

} // namespace ivrin
