// Planar stereo float samples; full scale is ±1. Spans do not own.
#pragma once

#include <algorithm>
#include <cstdint>
#include <vector>

namespace ivrin {

/// Writable view of `frames` frames.
struct StereoSpan {
  float* left = nullptr;
  float* right = nullptr;
  std::int64_t frames = 0;
  StereoSpan part(std::int64_t from, std::int64_t count) const { return {left + from, right + from, count}; }
  void clear() const {
    std::fill_n(left, frames, 0.0f);
    std::fill_n(right, frames, 0.0f);
  }
  /// The other way round in time.
  void reverse() const {
    std::reverse(left, left + frames);
    std::reverse(right, right + frames);
  }
  /// Nothing but zeros. Of a sound that is heard a few frames are looked at.
  bool isSilent() const {
    // In pieces: all of one at once, and no further than the first that sounds.
    constexpr std::int64_t kPiece = 64;
    for (std::int64_t at = 0; at < frames; at += kPiece) {
      const std::int64_t end = std::min(frames, at + kPiece);
      int sounds = 0;
      for (std::int64_t i = at; i < end; ++i)
        sounds |= static_cast<int>(left[i] != 0) | static_cast<int>(right[i] != 0);
      if (sounds != 0) return false;
    }
    return true;
  }
};

class StereoBuffer {
 public:
  StereoBuffer() = default;
  explicit StereoBuffer(std::int64_t frames)
      : left_(static_cast<std::size_t>(frames))
      , right_(static_cast<std::size_t>(frames)) {}
  std::int64_t frames() const { return static_cast<std::int64_t>(left_.size()); }
  /// Keeps storage when shrinking; new frames are silent.
  void resize(std::int64_t frames) {
    left_.resize(static_cast<std::size_t>(frames));
    right_.resize(static_cast<std::size_t>(frames));
  }
  float* left() { return left_.data(); }
  float* right() { return right_.data(); }
  const float* left() const { return left_.data(); }
  const float* right() const { return right_.data(); }
  StereoSpan span() { return {left(), right(), frames()}; }
  /// The frames from `from` on, silence where there are none; `from` may be negative.
  void read(std::int64_t from, StereoSpan out) const {
    const std::int64_t begin = std::clamp<std::int64_t>(-from, 0, out.frames),
                       end = std::clamp<std::int64_t>(frames() - from, begin, out.frames);
    out.part(0, begin).clear();
    out.part(end, out.frames - end).clear();
    if (begin == end) return;
    std::copy_n(left() + from + begin, end - begin, out.left + begin);
    std::copy_n(right() + from + begin, end - begin, out.right + begin);
  }
  friend bool operator==(const StereoBuffer&, const StereoBuffer&) = default;

 private:
  std::vector<float> left_, right_;
};

} // namespace ivrin
