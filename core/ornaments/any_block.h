// A voice of known length that computes any block by itself, whatever was computed before.
#pragma once

#include "ornaments/kind.h"

#include <algorithm>

namespace ivrin {

class AnyBlockVoice : public Voice {
 public:
  std::int64_t render(StereoSpan out) final {
    const std::int64_t n = std::min(out.frames, frames() - at_);
    if (n <= 0) return 0;
    block(at_, out.part(0, n));
    at_ += n;
    return n;
  }
  bool seek(std::int64_t frame) override {
    at_ = frame;
    return true;
  }

 protected:
  /// Writes all of `part`, which lies `at` frames after the first.
  virtual void block(std::int64_t at, StereoSpan part) = 0;
  virtual std::int64_t frames() const = 0;

 private:
  std::int64_t at_ = 0;
};

} // namespace ivrin
