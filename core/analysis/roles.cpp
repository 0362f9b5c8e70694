#include "analysis/roles.h"

#include "analysis/median.h"

#include "dsp/measure/spectrum.h"

#include <algorithm>
#include <array>

namespace ivrin {
namespace {

constexpr std::int64_t kSketchLength = 4096;
constexpr int kMoments = 100;
constexpr double kSketchLeastHz = 20, kSketchLowHz = 160, kSketchHighHz = 4000;
constexpr double kUnderLoudest = 1e-3; // of the power: softer moments are rests
constexpr float kNoted = 0.05f;        // a step's notes weigh so much, or it is noise or silence

} // namespace

std::optional<RowSketch> sketchOf(const RowReader& row, FrameRange range, double sampleRate, const RowChroma& notes,
                                  const std::vector<Frames>& attacks) {
  if (range.length() < kSketchLength) return std::nullopt;
  BandPower power({kSketchLeastHz, kSketchLowHz, kSketchHighHz, sampleRate / 2}, sampleRate, kSketchLength);
  struct Moment {
    double all = 0, low = 0, high = 0;
  };
  std::vector<Moment> moments;
  for (int m = 0; m < kMoments; ++m) {
    const Frames at = range.begin + Frames((range.length() - kSketchLength) * m / (kMoments - 1));
    StereoBuffer b = heardOver(row, {at, at + Frames(kSketchLength)});
    std::array<double, 3> bands{};
    if (!b.span().isSilent()) power.of(b.left(), b.right(), bands);
    moments.push_back({bands[0] + bands[1] + bands[2], bands[0], bands[2]});
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
  if (!ones.empty()) s.oneNote = median(ones);
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
