#include "analysis/beat_strength.h"

#include "analysis/thinned.h"
#include "dsp/measure/spectrum.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr std::int64_t kWindow = 1024, kStep = 256; // 43 and 11 ms at 24 kHz
constexpr std::int64_t kStepsAtOnce = 64;
constexpr int kBack = 2; // a rise is told against the step before the last one, which shares less of the sound
constexpr double kFullPower = 1e-4; // of a band: −40 dBFS and more count alike, nearly
constexpr double kCompression = 20; // the constant of Klapuri's law
constexpr double kLowHz = 150, kHighHz = 2000;

/// Edges of bands: a third of an octave or a few bins wide, and the range that each belongs to.
struct Bands {
  std::vector<double> edges;
  std::vector<int> range;
  explicit Bands(double rate) {
    const double bin = rate / static_cast<double>(kWindow), top = std::min(10000.0, 0.48 * rate);
    double hz = 30;
    edges.push_back(hz);
    while (hz < top) {
      hz = std::min(top, std::max(hz + 1.6 * bin, hz * 1.26));
      const double middle = (edges.back() + hz) / 2;
      range.push_back(middle < kLowHz ? 0 : middle < kHighHz ? 1 : 2);
      edges.push_back(hz);
    }
  }
};

} // namespace

BeatStrength beatStrength(const RowReader& row, FrameRange range, double sampleRate) {
  Thinned thinned(sampleRate);
  const double rate = sampleRate / static_cast<double>(thinned.times());
  const Bands bands(rate);
  BandPower power(bands.edges, rate, kWindow);
  BeatStrength s;
  s.stepSeconds = static_cast<double>(kStep) / rate;
  s.begin = range.begin - Frames(kWindow / 2 * thinned.times()) + Frames(kStep * thinned.times());
  const std::int64_t ahead = kStep * kStepsAtOnce;
  const std::size_t total = static_cast<std::size_t>(range.length() / (kStep * thinned.times()));
  for (auto& r : s.rise) r.reserve(total);
  std::array<int, BeatStrength::kRanges> count{};
  for (const int r : bands.range) ++count[static_cast<std::size_t>(r)];
  StereoBuffer held(kWindow + ahead);
  std::vector<double> now(bands.range.size());
  std::vector<std::vector<float>> before(kBack, std::vector<float>(now.size(), 0.0f));
  std::int64_t quiet = kWindow;
  for (Frames at = range.begin; s.steps() < total; at = at + Frames(ahead * thinned.times())) {
    for (float* side : {held.left(), held.right()}) std::copy_n(side + ahead, kWindow, side);
    const StereoSpan fresh = held.span().part(kWindow, ahead);
    thinned.read(row, at, fresh);
    for (std::int64_t k = 0; k < kStepsAtOnce && s.steps() < total; ++k) {
      quiet = fresh.part(k * kStep, kStep).isSilent() ? quiet + kStep : 0;
      const std::int64_t end = kWindow + (k + 1) * kStep;
      std::array<double, BeatStrength::kRanges> rise{};
      std::vector<float>& old = before[s.steps() % kBack];
      if (quiet >= kWindow) {
        std::fill(old.begin(), old.end(), 0.0f);
      } else {
        power.of(held.left() + end - kWindow, held.right() + end - kWindow, now);
        for (std::size_t b = 0; b < now.size(); ++b) {
          const auto compressed = static_cast<float>(std::log1p(kCompression * now[b] * power.mean() / kFullPower) /
                                                     std::log1p(kCompression));
          rise[static_cast<std::size_t>(bands.range[b])] += std::max(0.0, static_cast<double>(compressed - old[b]));
          old[b] = compressed;
        }
      }
      for (std::size_t r = 0; r < rise.size(); ++r)
        s.rise[r].push_back(static_cast<float>(rise[r] / std::max(count[r], 1)));
    }
  }
  return s;
}

} // namespace ivrin
