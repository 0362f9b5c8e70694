#include "analysis/roles.h"

#include "dsp/fourier.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr std::int64_t kLength = 4096;
constexpr int kMoments = 100;
constexpr double kSketchLowHz = 160, kSketchHighHz = 4000;
constexpr double kUnderLoudest = 1e-3; // of the power: softer moments are rests
constexpr float kNoted = 0.05f;        // a step's notes weigh so much, or it is noise or silence

} // namespace

std::optional<RowSketch> sketchOf(const RowReader& row, FrameRange range, double sampleRate, const RowChroma& notes,
                                  const std::vector<Frames>& attacks) {
  if (range.length() < kLength) return std::nullopt;
  const auto fourier = RealFourier::ofSize(kLength);
  const auto in = fourier->samples();
  const auto out = fourier->spectrum();
  struct Moment {
    double all = 0, low = 0, high = 0;
  };
  std::vector<Moment> moments;
  for (int m = 0; m < kMoments; ++m) {
    const Frames at = range.begin + Frames((range.length() - kLength) * m / (kMoments - 1));
    StereoBuffer b = heardOver(row, {at, at + Frames(kLength)});
    Moment moment;
    if (!b.span().isSilent()) {
      for (std::int64_t i = 0; i < kLength; ++i)
        in[i] = static_cast<float>((b.left()[i] + b.right()[i]) *
                                   (0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                                         static_cast<double>(kLength))));
      fourier->forward(in.get(), out.get());
      for (std::int64_t k = 2; k < fourier->bins(); ++k) {
        const double hz = static_cast<double>(k) * sampleRate / static_cast<double>(kLength),
                     p = static_cast<double>(std::norm(out[static_cast<std::ptrdiff_t>(k)]));
        moment.all += p;
        if (hz < kSketchLowHz) moment.low += p;
        if (hz > kSketchHighHz) moment.high += p;
      }
    }
    moments.push_back(moment);
  }
  double loudest = 0;
  for (const Moment& m : moments) loudest = std::max(loudest, m.all);
  if (loudest < 1e-9) return std::nullopt;
  RowSketch s;
  double all = 0, low = 0, high = 0;
  int first = kMoments, last = -1, sounding = 0;
  for (int i = 0; i < kMoments; ++i) {
    const Moment& m = moments[static_cast<std::size_t>(i)];
    if (m.all < kUnderLoudest * loudest) continue;
    first = std::min(first, i);
    last = i;
    ++sounding;
    all += m.all;
    low += m.low;
    high += m.high;
  }
  s.lowShare = low / all;
  s.highShare = high / all;
  s.playing = static_cast<double>(sounding) / (last - first + 1);
  double weight = 0;
  int steps = 0;
  std::vector<double> ones;
  for (const Chroma& c : notes.steps) {
    float sum = 0, most = 0;
    for (const float v : c) {
      sum += v;
      most = std::max(most, v);
    }
    weight += static_cast<double>(sum);
    if (sum < kNoted) continue;
    ++steps;
    ones.push_back(static_cast<double>(most / sum));
  }
  const double seconds = static_cast<double>(range.length()) / sampleRate, sound = seconds * sounding / kMoments;
  if (!notes.steps.empty() && sound > 0) s.tonal = std::min(1.0, weight * notes.stepSeconds / sound);
  if (!ones.empty()) {
    std::nth_element(ones.begin(), ones.begin() + static_cast<std::ptrdiff_t>(ones.size() / 2), ones.end());
    s.oneNote = ones[ones.size() / 2];
  }
  s.attacksPerSecond = sound > 0 ? static_cast<double>(attacks.size()) / sound : 0;
  return s;
}

RowRole roleOfSound(const RowSketch& s) {
  constexpr double kNoise = 0.25, kStruck = 0.6, kLowNotes = 0.55, kOneLine = 0.6, kRests = 0.93;
  if (s.tonal < kNoise) return s.attacksPerSecond > kStruck ? RowRole::drums : RowRole::texture;
  if (s.lowShare > kLowNotes) return RowRole::bass;
  if (s.oneNote > kOneLine && s.playing < kRests) return RowRole::voice;
  return RowRole::harmony;
}

} // namespace ivrin
