#include "dsp/dynamics/edges.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {

double raisedCosine(double u) {
  if (u <= 0) return 0;
  if (u >= 1) return 1;
  return 0.5 - 0.5 * std::cos(std::numbers::pi * u);
}

JoinGains equalPower(double u) {
  return {std::cos(u * (0.5 * std::numbers::pi)), std::sin(u * (0.5 * std::numbers::pi))};
}

JoinGains matchedPower(double u, double correlation) {
  const double coming = raisedCosine(u), leaving = 1 - coming;
  const double power = coming * coming + leaving * leaving + 2 * correlation * coming * leaving;
  return {leaving / std::sqrt(power), coming / std::sqrt(power)};
}

EdgeWindow::EdgeWindow(FrameRange span, std::int64_t fadeIn, std::int64_t fadeOut)
    : span_(span)
    , in_(fadeIn)
    , out_(fadeOut) {
  if (const std::int64_t n = span.length(); in_ + out_ > n && in_ + out_ > 0) {
    in_ = n * fadeIn / (fadeIn + fadeOut);
    out_ = n - in_;
  }
}

EdgeWindow EdgeWindow::withDefaultEdges(FrameRange span, double sampleRate) {
  return EdgeWindow(span, std::llround(kFadeInSeconds * sampleRate), std::llround(kFadeOutSeconds * sampleRate));
}

double EdgeWindow::at(Frames f) const {
  if (!span_.contains(f)) return 0;
  const double fromBegin = static_cast<double>(f.count - span_.begin.count),
               toEnd = static_cast<double>(span_.end.count - f.count);
  double w = 1;
  if (in_ > 0) w *= raisedCosine(fromBegin / static_cast<double>(in_));
  if (out_ > 0) w *= raisedCosine(toEnd / static_cast<double>(out_));
  return w;
}

double GainSegments::at(Frames f) const {
  const auto next =
      std::upper_bound(points_.begin(), points_.end(), f, [](Frames x, const Point& p) { return x < p.at; });
  if (next == points_.begin() || next == points_.end()) return 1;
  const Point& a = *(next - 1);
  const double u = static_cast<double>(f.count - a.at.count) / static_cast<double>(next->at.count - a.at.count);
  return a.gain + (next->gain - a.gain) * raisedCosine(u);
}

void GainSegments::apply(Frames from, float* left, float* right, std::int64_t frames) const {
  const FrameRange all{from, from + Frames(frames)};
  for (std::size_t i = 0; i + 1 < points_.size(); ++i) {
    const Point &a = points_[i], &b = points_[i + 1];
    const FrameRange r = intersect({a.at, b.at}, all);
    if (r.empty() || (a.gain == 1 && b.gain == 1)) continue;
    const std::int64_t first = (r.begin - from).count;
    if (a.gain == b.gain) {
      const auto g = static_cast<float>(a.gain);
      for (std::int64_t k = first; k < first + r.length(); ++k) {
        left[k] *= g;
        right[k] *= g;
      }
      continue;
    }
    for (std::int64_t k = 0; k < r.length(); ++k) {
      const double u =
          static_cast<double>(r.begin.count + k - a.at.count) / static_cast<double>(b.at.count - a.at.count);
      const auto g = static_cast<float>(a.gain + (b.gain - a.gain) * raisedCosine(u));
      left[first + k] *= g;
      right[first + k] *= g;
    }
  }
}

GainSegments turnedDown(FrameRange span, double gain, std::int64_t fadeIn, std::int64_t fadeOut) {
  const std::int64_t n = span.length();
  if (n <= 0 || gain == 1) return {};
  if (fadeIn + fadeOut > n) {
    const std::int64_t total = fadeIn + fadeOut;
    fadeIn = n * fadeIn / total;
    fadeOut = n - fadeIn;
  }
  return GainSegments(
      {{span.begin, 1}, {span.begin + Frames(fadeIn), gain}, {span.end - Frames(fadeOut), gain}, {span.end, 1}});
}

} // namespace ivrin
