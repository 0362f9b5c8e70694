// Many state-variable filters one after the other (svf.h), four at a time: each is a sample behind the one before it,
// so that all four go in one step.
#pragma once

#include "dsp/filter/svf.h"

#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace ivrin {

class SvfCascade {
 public:
  SvfCascade(StereoSvf::Pass pass, double sampleRate)
      : pass_(pass)
      , rate_(sampleRate) {}
  /// One more, of Butterworth's shape.
  void add(double cutoffLeftHz, double cutoffRightHz);
  bool empty() const { return stages_ == 0; }
  /// In place.
  void process(float* left, float* right, std::int64_t frames);

 private:
  /// Four filters: coefficients and states of the first one's left and right, then of the second's, and so on.
  struct Four {
    std::array<double, 8> a1{}, a2{}, a3{}, ofInput{}, ofBand{}, ofLow{}, s1{}, s2{};
    Four() { ofInput.fill(1); } // nothing but what comes in
  };
  static void run(Four& f, float* left, float* right, std::int64_t frames);
  StereoSvf::Pass pass_;
  double rate_;
  std::size_t stages_ = 0;
  std::vector<Four> fours_;
};

} // namespace ivrin
