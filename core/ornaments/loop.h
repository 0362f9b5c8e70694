// A short stretch of sound that goes round and round, its end joined to its begin.
#pragma once

#include "audio/buffer.h"
#include "dsp/dynamics/edges.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace ivrin {

class SoundLoop {
 public:
  /// `frames` frames from `at` on, as `row` reads them; `join` frames before the end, at most a quarter of it, go over
  /// into what was heard before `at`, at the power that their likeness asks for.
  SoundLoop(std::int64_t frames, std::int64_t join, std::int64_t at,
            const std::function<void(std::int64_t from, StereoSpan out)>& row)
      : loop_(std::max<std::int64_t>(2, frames)) {
    join = std::min(join, loop_.frames() / 4);
    StereoBuffer lead(join);
    row(at, loop_.span());
    if (join > 0) row(at - join, lead.span());
    const std::int64_t from = loop_.frames() - join;
    const double alike = likeness(loop_.span().part(from, join), lead.span());
    for (std::int64_t i = 0; i < join; ++i) {
      const JoinGains g = matchedPower((static_cast<double>(i) + 0.5) / static_cast<double>(join), alike);
      const auto blend = [&](float* x, const float* before) {
        x[from + i] = static_cast<float>(g.leaving * static_cast<double>(x[from + i]) +
                                         g.coming * static_cast<double>(before[i]));
      };
      blend(loop_.left(), lead.left());
      blend(loop_.right(), lead.right());
    }
  }
  /// Round and round, from any frame.
  void read(std::int64_t from, StereoSpan out) const {
    const std::int64_t n = loop_.frames();
    std::int64_t at = ((from % n) + n) % n;
    for (std::int64_t done = 0; done < out.frames;) {
      const std::int64_t count = std::min(n - at, out.frames - done);
      std::copy_n(loop_.left() + at, count, out.left + done);
      std::copy_n(loop_.right() + at, count, out.right + done);
      done += count;
      at = 0;
    }
  }

 private:
  /// How alike two sounds are, 0..1: their correlation, where it is not against each other.
  static double likeness(const StereoSpan& a, const StereoSpan& b) {
    double ab = 0, aa = 1e-20, bb = 1e-20;
    for (std::int64_t i = 0; i < a.frames; ++i)
      for (const auto& [x, y] : {std::pair(a.left[i], b.left[i]), {a.right[i], b.right[i]}}) {
        ab += static_cast<double>(x) * static_cast<double>(y);
        aa += static_cast<double>(x) * static_cast<double>(x);
        bb += static_cast<double>(y) * static_cast<double>(y);
      }
    return std::clamp(ab / std::sqrt(aa * bb), 0.0, 1.0);
  }
  StereoBuffer loop_;
};

} // namespace ivrin
