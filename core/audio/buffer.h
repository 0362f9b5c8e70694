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
    const auto zero = [](float x) { return x == 0; };
    return std::all_of(left, left + frames, zero) && std::all_of(right, right + frames, zero);
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
  friend bool operator==(const StereoBuffer&, const StereoBuffer&) = default;

 private:
  std::vector<float> left_, right_;
};

} // namespace ivrin
