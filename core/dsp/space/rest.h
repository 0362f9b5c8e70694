// When something that rings may rest: silence has come in, and nothing was stored, for longer than it remembers. Told
// block by block, so that the sizes of the calls do not matter.
#pragma once

#include "audio/buffer.h"

#include <cstdint>

namespace ivrin {

class Rest {
 public:
  /// Nothing is stored: silence in is silence out, and only what moves by itself has to go on.
  bool resting() const { return resting_; }
  /// Part of a block comes in.
  void comes(StereoSpan in) {
    if (in.isSilent()) return;
    sounds_ = true;
    resting_ = false;
  }
  /// Its largest magnitude was stored.
  void stores(float peak) { sounds_ = sounds_ || peak > kNothing; }
  /// A block of so many frames is over. True when the rest begins: what is stored is to be cleared.
  bool begins(std::int64_t block, std::int64_t memoryFrames) {
    silent_ = sounds_ ? 0 : silent_ + block;
    sounds_ = false;
    if (resting_ || silent_ < memoryFrames) return false;
    resting_ = true;
    return true;
  }

 private:
  static constexpr float kNothing = 1e-30f; // −600 dBFS: what is under it goes round on and on by rounding
  bool resting_ = false, sounds_ = false;
  std::int64_t silent_ = 0;
};

} // namespace ivrin
