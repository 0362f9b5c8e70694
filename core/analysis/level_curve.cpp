#include "analysis/level_curve.h"

#include "analysis/thinned.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/spectrum.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kRumbleHz = 70, kBandSeconds = 0.04;
constexpr double kLeastPower = 1e-12;
constexpr std::int64_t kHopsAtOnce = 256, kStepsOfBands = 4;

double meanPower(StereoSpan s) {
  double power = 0;
  for (std::int64_t i = 0; i < s.frames; ++i) {
    const double l = s.left[i], r = s.right[i];
    power += 0.5 * (l * l + r * r);
  }
  return power / static_cast<double>(s.frames);
}

/// Levels in octaves of a stretch of 40 ms or a little more, both sides.
class Octaves {
 public:
  explicit Octaves(double sampleRate)
      : power_(edges(), sampleRate, sizeFor(sampleRate)) {}
  std::int64_t size() const { return power_.size(); }
  std::array<float, LevelCurve::kBands> of(const float* left, const float* right) {
    std::array<double, LevelCurve::kBands> power{};
    power_.of(left, right, power);
    std::array<float, LevelCurve::kBands> db{};
    for (std::size_t b = 0; b < db.size(); ++b)
      db[b] = static_cast<float>(10 * std::log10(power[b] * power_.mean() + kLeastPower));
    return db;
  }

 private:
  static std::vector<double> edges() {
    std::vector<double> hz;
    for (int b = 0; b <= LevelCurve::kBands; ++b) hz.push_back(RowOctaves::beginsAtHz(b));
    return hz;
  }
  static std::int64_t sizeFor(double sampleRate) {
    std::int64_t n = 64;
    while (static_cast<double>(n) < kBandSeconds * sampleRate) n *= 2;
    return n;
  }
  BandPower power_;
};

} // namespace

std::uint8_t RowOctaves::packed(float db) {
  return static_cast<std::uint8_t>(std::clamp(std::lround(2 * (db + 120)), 0L, 255L));
}

const RowOctaves::Step* RowOctaves::at(Frames f) const {
  if (f < begin || hopFrames <= 0) return nullptr;
  const auto i = static_cast<std::size_t>((f - begin).count / hopFrames);
  return i < steps.size() ? &steps[i] : nullptr;
}

RowOctaves octavesOf(const LevelCurve& curve, Frames begin) {
  RowOctaves o{begin, 4 * curve.hopFrames, {}};
  o.steps.reserve(curve.bandsDb.size() / 2 + 1);
  for (std::size_t i = 0; i < curve.bandsDb.size(); i += 2) {
    RowOctaves::Step step{};
    for (std::size_t b = 0; b < step.size(); ++b) step[b] = RowOctaves::packed(curve.bandsDb[i][b]);
    o.steps.push_back(step);
  }
  return o;
}

LevelCurve levelCurve(const RowReader& row, FrameRange range, double sampleRate) {
  LevelCurve curve;
  Thinned thinned(sampleRate);
  const double rate = sampleRate / static_cast<double>(thinned.times());
  const std::int64_t hop = std::max<std::int64_t>(1, std::llround(curve.hopSeconds * rate));
  curve.hopFrames = hop * thinned.times();
  Octaves octaves(rate);
  StereoSvf rumble(StereoSvf::Pass::high, kRumbleHz, kRumbleHz, rate);
  // Half a window of what came before stands in front of every block, half a window of what comes stays behind.
  const std::int64_t half = octaves.size() / 2, ahead = hop * kHopsAtOnce;
  StereoBuffer held(octaves.size() + ahead);
  const auto total = static_cast<std::size_t>((range.length() + curve.hopFrames - 1) / curve.hopFrames);
  curve.db.reserve(total);
  std::int64_t quiet = octaves.size(); // frames of silence at the end of what is held
  using Bands = std::array<float, LevelCurve::kBands>;
  Bands none{};
  none.fill(-120);
  std::vector<Bands> windows; // of every fourth step
  for (Frames at = range.begin; curve.db.size() < total; at = at + Frames(ahead * thinned.times())) {
    for (float* side : {held.left(), held.right()}) std::copy_n(side + ahead, octaves.size(), side);
    const StereoSpan fresh = held.span().part(octaves.size(), ahead);
    thinned.read(row, at, fresh);
    rumble.process(fresh.left, fresh.right, fresh.frames);
    for (std::int64_t h = 0; h < kHopsAtOnce && curve.db.size() < total; ++h) {
      const double power = meanPower(fresh.part(h * hop, hop));
      curve.db.push_back(static_cast<float>(10 * std::log10(power + kLeastPower)));
      quiet = curve.db.back() > -110 ? 0 : quiet + hop;
      // The window that ends with this step is centred half a window earlier.
      if (h % kStepsOfBands != 0) continue;
      const std::int64_t end = octaves.size() + (h + 1) * hop;
      if (quiet >= octaves.size())
        windows.push_back(none);
      else
        windows.push_back(octaves.of(held.left() + end - octaves.size(), held.right() + end - octaves.size()));
    }
  }
  if (windows.empty()) return curve;
  // So that a step's bands are those around it: between two windows what is between their levels.
  const double late = static_cast<double>(half) / static_cast<double>(hop);
  curve.bandsDb.resize((curve.db.size() + 1) / 2);
  for (std::size_t i = 0; i < curve.bandsDb.size(); ++i) {
    const double where = (2 * static_cast<double>(i) + late) / kStepsOfBands;
    const std::size_t a = std::min(static_cast<std::size_t>(where), windows.size() - 1),
                      b = std::min(a + 1, windows.size() - 1);
    const auto u = static_cast<float>(where - std::floor(where));
    for (std::size_t k = 0; k < none.size(); ++k)
      curve.bandsDb[i][k] = windows[a][k] + u * (windows[b][k] - windows[a][k]);
  }
  return curve;
}

} // namespace ivrin
