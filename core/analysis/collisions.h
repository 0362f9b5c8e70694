// Where what an ornament adds meets the next phrase of its row.
#pragma once

#include "analysis/phrases.h"

namespace ivrin {

struct Collision {
  FrameRange frames;
  double db = 0; // the print's level against the dry row's there (RMS over the meeting)
};

/// `print` is what the ornament adds over `extent`; phrases that hold part of `source` do not count. A phrase is met
/// where the print is louder than −60 dBFS and than 24 dB under the phrase (20 ms levels).
std::vector<Collision> findCollisions(const RowReader& print, FrameRange extent, FrameRange source,
                                      const RowReader& dry, const std::vector<FrameRange>& phrases, double sampleRate);

} // namespace ivrin
