// The variable-speed reader against a bare kernel, the stretch against its library.
#include "bench.h"

#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/denormals.h"
#include "dsp/filter/windowed_sinc.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/stretch.h"
#include "ornaments/speed_curve.h"
#include "test_support/signals.h"

#ifdef IVRIN_BENCH_STRETCHER
#include <rubberband/RubberBandStretcher.h>
#endif

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <vector>

namespace ivrin::bench {
using namespace ivrin::test;
namespace {

constexpr int kTaps = 64, kPhases = 512;

std::vector<float> bareTable() {
  std::vector<float> t;
  for (int p = 0; p <= kPhases; ++p) {
    const auto row = sincKernel(static_cast<double>(p) / kPhases, kTaps / 2, 10.4);
    t.insert(t.end(), row.begin(), row.end());
  }
  return t;
}

/// 64 taps from a table with interpolation over two planes, at a speed that does not change; the sound lies in memory.
IVRIN_CLONES void bareKernel(const float* table, const float* left, const float* right, double speed,
                             std::int64_t frames, float* outLeft, float* outRight) {
  double p = kTaps;
  for (std::int64_t i = 0; i < frames; ++i, p += speed) {
    const auto whole = static_cast<std::int64_t>(p);
    const double phase = (p - static_cast<double>(whole)) * kPhases;
    const int row = static_cast<int>(phase);
    const float mix = static_cast<float>(phase - row);
    const EightInMemory* a = reinterpret_cast<const EightInMemory*>(table + static_cast<std::ptrdiff_t>(row) * kTaps);
    const EightInMemory* l = reinterpret_cast<const EightInMemory*>(left + whole - 31);
    const EightInMemory* r = reinterpret_cast<const EightInMemory*>(right + whole - 31);
    Eight l0{}, l1{}, r0{}, r1{};
    for (int k = 0; k < kTaps / 8; k += 2) {
      const Eight c0 = a[k] + (a[k + 8] - a[k]) * mix, c1 = a[k + 1] + (a[k + 9] - a[k + 1]) * mix;
      l0 += c0 * l[k];
      r0 += c0 * r[k];
      l1 += c1 * l[k + 1];
      r1 += c1 * r[k + 1];
    }
    const Eight x = l0 + l1, y = r0 + r1;
    outLeft[i] = ((x[0] + x[4]) + (x[2] + x[6])) + ((x[1] + x[5]) + (x[3] + x[7]));
    outRight[i] = ((y[0] + y[4]) + (y[2] + y[6])) + ((y[1] + y[5]) + (y[3] + y[7]));
  }
}

} // namespace

void speedBenchmarks() {
  const FlushDenormals guard;
  const std::int64_t frames = 10 * 48000;
  const StereoBuffer in = fill(frames + 4096, noise(4, 0.2));
  const auto feed = [&](std::int64_t from, StereoSpan out) {
    const std::int64_t f = std::clamp<std::int64_t>(from + 512, 0, in.frames() - out.frames);
    std::copy_n(in.left() + f, out.frames, out.left);
    std::copy_n(in.right() + f, out.frames, out.right);
  };
  const std::vector<float> table = bareTable();
  StereoBuffer out(frames), bare(frames);
  const struct {
    const char* name;
    Curve curve;
    double bareSpeed; // the bare kernel's, on average as fast: its table is walked through as ours is
  } motions[] = {{"a stop", Curve({{0, 1, 0}, {1, 0, 0.5}}), 0.7190123}, {"half speed", Curve(0.5), 0.5}};
  for (const auto& m : motions) {
    const SpeedCurve curve(m.curve);
    double best = 1e9;
    compare(
        std::string("variable-speed reader, ") + m.name + " over 10 s, against a bare 64-tap kernel",
        "<= 1.2x (aim 400x)", 15,
        [&] {
          const double t0 = now();
          SpeedReader reader(feed);
          std::vector<double> position(1024), speed(1024);
          for (std::int64_t at = 0; at < frames; at += 1024) {
            const std::int64_t n = std::min<std::int64_t>(1024, frames - at);
            curve.fill(frames, at, n, position.data(), speed.data());
            reader.read(position.data(), speed.data(), out.span().part(at, n));
          }
          keep(out.left());
          best = std::min(best, now() - t0);
        },
        [&] {
          bareKernel(table.data(), in.left(), in.right(), m.bareSpeed, frames, bare.left(), bare.right());
          keep(bare.left());
        });
    char text[64];
    std::snprintf(text, sizeof text, "%.0f x real time", 10 / best);
    line(std::string("variable-speed reader, ") + m.name + ", absolute", text, "400x");
  }
  {
    const SpeedCurve twice(Curve(2.0));
    double best = 1e9;
    for (int i = 0; i < 5; ++i) {
      const double t0 = now();
      SpeedReader reader(feed);
      std::vector<double> position(1024), speed(1024);
      for (std::int64_t at = 0; at < frames / 2; at += 1024) {
        twice.fill(frames / 2, at, 1024, position.data(), speed.data());
        reader.read(position.data(), speed.data(), out.span().part(at, std::min<std::int64_t>(1024, frames / 2 - at)));
      }
      best = std::min(best, now() - t0);
    }
    char text[64];
    std::snprintf(text, sizeof text, "%.0f x real time", 5 / best);
    line("variable-speed reader, twice normal (kernel twice as wide)", text, "-");
  }
#ifdef IVRIN_BENCH_STRETCHER
  {
    const std::int64_t made = 6 * 48000;
    StereoBuffer stretched(made);
    compare(
        "stretched to twice its length at pitch, against the library alone", "<= 0.4x", 9,
        [&] {
          Stretch stretch(48000, 2, 1, feed);
          for (std::int64_t at = 0; at < made; at += 1024)
            stretch.read(at, stretched.span().part(at, std::min<std::int64_t>(1024, made - at)));
          keep(stretched.left());
        },
        [&] {
          using RubberBand::RubberBandStretcher;
          RubberBandStretcher band(48000, 2,
                                   RubberBandStretcher::OptionProcessRealTime | RubberBandStretcher::OptionEngineFiner |
                                       RubberBandStretcher::OptionChannelsTogether,
                                   2, 1);
          band.setMaxProcessSize(256);
          std::int64_t fed = 0, got = -2048;
          while (got < made) {
            const int there = band.available();
            if (there <= 0) {
              const float* x[2] = {in.left() + fed, in.right() + fed};
              band.process(x, 256, false);
              fed += 256;
              continue;
            }
            float* y[2] = {out.left(), out.right()};
            got += static_cast<std::int64_t>(band.retrieve(y, static_cast<std::size_t>(there)));
          }
          keep(out.left());
        });
  }
#else
  line("stretched to twice its length at pitch", "no library to measure it against", "<= 0.4x");
#endif
}

} // namespace ivrin::bench
