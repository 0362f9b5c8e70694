#include "play/click.h"

#include "time/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kSeconds = 0.045, kDecaySeconds = 0.009, kRiseSeconds = 0.0006;
constexpr double kBarHz = 2093, kBeatHz = 1397; // C7 and F6: heard through a mix, pleasant against most keys
constexpr double kPartDb = 6;
constexpr double kWoodDecay = 0.006, kWoodSecond = 2.71, kWoodSecondDecay = 0.0022; // modes of a bar: 1 to 2.71
constexpr double kWoodHz = 0.62;                                                    // of the tone's
constexpr double kShakerDecay = 0.012, kShakerRise = 0.003, kBeatDull = 0.55;

double wave(double hz, double t) {
  return std::sin(2 * std::numbers::pi * hz * t);
}

/// t seconds into a click, with a peak of one at most.
double sample(ClickSound sound, double t, bool high) {
  const double hz = high ? kBarHz : kBeatHz, rise = std::min(1.0, t / kRiseSeconds);
  switch (sound) {
  case ClickSound::wood: {
    const double body = std::exp(-t / kWoodDecay) * wave(kWoodHz * hz, t),
                 knock = std::exp(-t / kWoodSecondDecay) * wave(kWoodSecond * kWoodHz * hz, t);
    return rise * (0.62 * body + 0.38 * knock);
  }
  case ClickSound::shaker: {
    // The same noise each time: a dozen partials that have nothing to do with each other, duller on the other beats.
    double sum = 0;
    for (int i = 0; i < 12; ++i) {
      const double f = (high ? 1 : kBeatDull) * (5200 + 611.0 * i + 37.0 * i * i);
      sum += std::sin(2 * std::numbers::pi * f * t + 2.4 * i * i);
    }
    return std::min(1.0, t / kShakerRise) * std::exp(-t / kShakerDecay) * std::clamp(sum / 5, -1.0, 1.0);
  }
  case ClickSound::tone:
    break;
  }
  return rise * std::exp(-t / kDecaySeconds) * wave(hz, t);
}

} // namespace

void addClick(const TempoMap& map, const Click& click, Frames from, StereoSpan out) {
  const double rate = map.sampleRate();
  const std::int64_t length = std::llround(kSeconds * rate);
  const int parts = std::clamp(click.parts, 1, 4);
  const BarPosition at = map.barAt(map.beatAt(Frames(from.count - length)));
  // Walk click by click from the first one that may still sound.
  for (std::int64_t bar = at.bar;; ++bar) {
    const Beats barStart = map.barStart(bar);
    const MeterEntry& meter = map.meterAt(barStart);
    for (int n = 0; n < meter.count * parts; ++n) {
      const Frames f = map.frameAt(barStart + Beats(meter.beatLength().ticks * n / parts));
      if (f.count >= from.count + out.frames) return;
      const std::int64_t first = std::max<std::int64_t>(0, f.count - from.count),
                         last = std::min(out.frames, f.count - from.count + length);
      if (first >= last) continue;
      const double softer = n == 0 ? 0 : click.accentDb + (n % parts == 0 ? 0 : kPartDb);
      const double gain = Decibels(click.levelDb - softer).gain();
      for (std::int64_t i = first; i < last; ++i) {
        const double t = static_cast<double>(from.count + i - f.count) / rate;
        const auto v = static_cast<float>(gain * sample(click.sound, t, n == 0 && click.highFirst));
        out.left[i] += v;
        out.right[i] += v;
      }
    }
  }
}

} // namespace ivrin
