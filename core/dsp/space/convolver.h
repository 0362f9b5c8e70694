// Convolution with an impulse response by large blocks (overlap-add; T. G. Stockham, "High-speed convolution and
// correlation", AFIPS 1966), FFTW single precision. Nothing here runs in real time: a block may be as long as the
// response, which is where the method is fastest.
#pragma once

#include "audio/buffer.h"

#include <functional>
#include <memory>

namespace ivrin {

/// What a space answers: `own`, each side's sound on its own side; `across`, empty or as long, what is heard on the
/// left of the right side's sound (its left) and on the right of the left's (its right).
struct ImpulseResponse {
  ImpulseResponse() = default;
  ImpulseResponse(StereoBuffer ownSides, StereoBuffer acrossSides = {})
      : own(std::move(ownSides))
      , across(std::move(acrossSides)) {}
  StereoBuffer own, across;
  std::int64_t frames() const { return own.frames(); }
  bool crosses() const { return across.frames() > 0; }
};

/// The spectra of an impulse response, made once and shared between convolvers on any thread.
class ImpulseSpectrum;
/// `impulse` must not be empty.
std::shared_ptr<const ImpulseSpectrum> spectrumOf(const ImpulseResponse& impulse);

class Convolver {
 public:
  /// Gives the next frames of what goes in, in order, without end (silence after its last).
  using Feed = std::function<void(StereoSpan out)>;
  Convolver(std::shared_ptr<const ImpulseSpectrum> impulse, Feed feed);
  ~Convolver();
  /// The next frames of what comes out.
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
