// A crossover whose bands add up flat: fourth-order Linkwitz-Riley, each half two Butterworth filters in a row
// (S. Linkwitz, "Active crossover networks for noncoincident drivers", JAES 1976). Low and high sum to an all-pass.
#pragma once

#include "audio/buffer.h"
#include "dsp/filter/svf.h"

#include <optional>

namespace ivrin {

/// Splits a sound into a band and what lies outside it; band + rest is the sound through all-passes alone.
class BandSplit {
 public:
  /// The band from `lowHz` to `highHz`; nothing: open at that side. Both open: the band is all of it, untouched.
  BandSplit(std::optional<double> lowHz, std::optional<double> highHz, double sampleRate);
  /// `band` holds the sound and becomes the band; `rest` gets what is outside. The same number of frames.
  void process(StereoSpan band, StereoSpan rest);

 private:
  struct Crossover {
    Crossover(double hz, double rate);
    /// `x` becomes its lows, `high` its highs.
    void split(StereoSpan x, StereoSpan high);
    StereoSvf low1, low2, high1, high2;
  };
  std::optional<Crossover> low_, high_;
  std::optional<Crossover> allPass_; // gives the lows the turn that the upper crossover gives the others
  StereoBuffer scratch_, spare_;
};

} // namespace ivrin
