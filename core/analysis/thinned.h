// A row read at a lower rate, for what is listened for under 11 kHz: a half or less of the work.
#pragma once

#include "analysis/phrases.h"

namespace ivrin {

/// Every `times`-th frame of a row, what lies over the new half rate taken out (a windowed sinc, 40 dB down).
class Thinned {
 public:
  /// To 22 to 44 kHz.
  explicit Thinned(double sampleRate);
  std::int64_t times() const { return times_; }
  /// Fills `out` with what is thinned of the row from `from` on.
  void read(const RowReader& row, Frames from, StereoSpan out);

 private:
  std::int64_t times_, reach_;
  std::vector<float> taps_, phase_;
  StereoBuffer sound_;
};

} // namespace ivrin
