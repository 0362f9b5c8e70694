#include "play/click.h"

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kSeconds = 0.045, kDecaySeconds = 0.009, kRiseSeconds = 0.0006;
constexpr double kBarHz = 2093, kBeatHz = 1397; // C7 and F6: heard through a mix, pleasant against most keys

double sample(double t, double hz) {
  return std::min(1.0, t / kRiseSeconds) * std::exp(-t / kDecaySeconds) * std::sin(2 * std::numbers::pi * hz * t);
}

} // namespace

void addClick(const TempoMap& map, Frames from, StereoSpan out, float gain) {
  const double rate = map.sampleRate();
  const std::int64_t length = std::llround(kSeconds * rate);
  BarPosition at = map.barAt(map.beatAt(Frames(from.count - length)));
  // Walk beat by beat from the first one that may still sound.
  for (std::int64_t bar = at.bar;; ++bar) {
    const Beats barStart = map.barStart(bar);
    const MeterEntry& meter = map.meterAt(barStart);
    for (int beat = 0; beat < meter.count; ++beat) {
      const Frames f = map.frameAt(barStart + meter.beatLength() * beat);
      if (f.count >= from.count + out.frames) return;
      const std::int64_t first = std::max<std::int64_t>(0, f.count - from.count),
                         last = std::min(out.frames, f.count - from.count + length);
      for (std::int64_t i = first; i < last; ++i) {
        const double t = static_cast<double>(from.count + i - f.count) / rate;
        const auto v = static_cast<float>(sample(t, beat == 0 ? kBarHz : kBeatHz)) * gain;
        out.left[i] += v;
        out.right[i] += v;
      }
    }
  }
}

} // namespace ivrin
