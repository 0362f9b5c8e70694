// Where what an ornament adds meets the next phrase of its row.
#pragma once

#include "analysis/phrases.h"

namespace ivrin {

struct Collision {
  FrameRange frames;
  double db = 0;       // the print's level against the dry row's there (RMS over the meeting)
  bool goesOn = false; // it is the phrase that the source lies in, going on (or coming before, of a lead-in)
};

/// `print` is what the ornament adds over `extent`. A phrase is met where the print is louder than −60 dBFS and than
/// 24 dB under the phrase (20 ms levels). Of a phrase that holds part of `source` counts what lies apart from it, where
/// that is longer than a third of a second: the end of a word is the source's own.
std::vector<Collision> findCollisions(const RowReader& print, FrameRange extent, FrameRange source,
                                      const RowReader& dry, const std::vector<FrameRange>& phrases, double sampleRate);

} // namespace ivrin
