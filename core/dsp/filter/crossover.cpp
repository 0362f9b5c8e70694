#include "dsp/filter/crossover.h"

#include <algorithm>

namespace ivrin {

BandSplit::Crossover::Crossover(double hz, double rate)
    : low1(StereoSvf::Pass::low, hz, hz, rate)
    , low2(StereoSvf::Pass::low, hz, hz, rate)
    , high1(StereoSvf::Pass::high, hz, hz, rate)
    , high2(StereoSvf::Pass::high, hz, hz, rate) {}

void BandSplit::Crossover::split(StereoSpan x, StereoSpan high) {
  std::copy_n(x.left, x.frames, high.left);
  std::copy_n(x.right, x.frames, high.right);
  low1.process(x.left, x.right, x.frames);
  low2.process(x.left, x.right, x.frames);
  high1.process(high.left, high.right, x.frames);
  high2.process(high.left, high.right, x.frames);
}

BandSplit::BandSplit(std::optional<double> lowHz, std::optional<double> highHz, double sampleRate) {
  if (lowHz) low_.emplace(*lowHz, sampleRate);
  if (highHz) high_.emplace(*highHz, sampleRate);
  if (lowHz && highHz) allPass_.emplace(*highHz, sampleRate);
}

void BandSplit::process(StereoSpan band, StereoSpan rest) {
  const std::int64_t n = band.frames;
  if (scratch_.frames() < n) {
    scratch_.resize(n);
    spare_.resize(n);
  }
  rest.clear();
  const auto add = [n](StereoSpan to, StereoSpan what) {
    for (std::int64_t i = 0; i < n; ++i) {
      to.left[i] += what.left[i];
      to.right[i] += what.right[i];
    }
  };
  if (low_) { // lows to the rest, highs go on
    const StereoSpan high = scratch_.span().part(0, n);
    low_->split(band, high);
    add(rest, band);
    std::copy_n(high.left, n, band.left);
    std::copy_n(high.right, n, band.right);
  }
  if (allPass_) {
    const StereoSpan high = spare_.span().part(0, n);
    allPass_->split(rest, high);
    add(rest, high);
  }
  if (high_) {
    const StereoSpan high = scratch_.span().part(0, n);
    high_->split(band, high);
    add(rest, high);
  }
}

} // namespace ivrin
