// A ring of samples whose blocks can be used in place. Time runs in blocks of `block` frames: a write lies inside one
// block and never wraps; a read may begin anywhere and is contiguous for up to `block` frames plus `pad`, because the
// ring's head is repeated behind its end.
#pragma once

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <vector>

namespace ivrin {

class Ring {
 public:
  /// Remembers at least `frames` frames besides the block being written. Rings that are used side by side take a
  /// `number` each: it keeps them from falling on the same lines of the processor's cache.
  Ring(std::int64_t frames, std::int64_t block, std::int64_t pad = 0, int number = 0)
      : repeated_(block + pad)
      , lead_(number * 144) {
    while (size_ < frames + block + pad) size_ *= 2;
    while (size_ < 2 * repeated_) size_ *= 2;
    data_.assign(static_cast<std::size_t>(lead_ + size_ + repeated_), 0.0f);
  }
  void clear() { std::fill(data_.begin(), data_.end(), 0.0f); }
  /// Samples from frame `from` on; frames before 0 are silence until overwritten.
  const float* at(std::int64_t from) const { return data_.data() + lead_ + (from & (size_ - 1)); }
  /// Where the frames from `clock` on are to be written; `written` is to be called after.
  float* place(std::int64_t clock) { return data_.data() + lead_ + (clock & (size_ - 1)); }
  void written(std::int64_t clock, std::int64_t n) {
    const std::int64_t at = clock & (size_ - 1);
    if (at < repeated_)
      std::memcpy(data_.data() + lead_ + size_ + at, data_.data() + lead_ + at,
                  static_cast<std::size_t>(std::min(n, repeated_ - at)) * sizeof(float));
  }

 private:
  std::int64_t size_ = 1, repeated_, lead_;
  std::vector<float> data_;
};

} // namespace ivrin
