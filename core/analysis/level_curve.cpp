#include "analysis/level_curve.h"

#include "dsp/spectrum.h"
#include "dsp/svf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kRumbleHz = 70, kBandSeconds = 0.04;
constexpr double kLeastPower = 1e-12;
constexpr std::int64_t kHopsAtOnce = 256;

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
    for (int b = 0; b <= LevelCurve::kBands; ++b) hz.push_back(100 * std::exp2(b));
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

LevelCurve levelCurve(const RowReader& row, FrameRange range, double sampleRate) {
  LevelCurve curve;
  curve.hopFrames = std::max<std::int64_t>(1, std::llround(curve.hopSeconds * sampleRate));
  const std::int64_t hop = curve.hopFrames;
  Octaves octaves(sampleRate);
  StereoSvf rumble(StereoSvf::Pass::high, kRumbleHz, kRumbleHz, sampleRate);
  // Half a window of what came before stands in front of every block, half a window of what comes stays behind.
  const std::int64_t half = octaves.size() / 2, ahead = hop * kHopsAtOnce;
  StereoBuffer held(octaves.size() + ahead);
  const auto total = static_cast<std::size_t>((range.length() + hop - 1) / hop);
  curve.db.reserve(total);
  std::int64_t quiet = octaves.size(); // frames of silence at the end of what is held
  std::array<float, LevelCurve::kBands> none{};
  none.fill(-120);
  for (Frames at = range.begin; curve.db.size() < total; at = at + Frames(ahead)) {
    for (float* side : {held.left(), held.right()}) std::copy_n(side + ahead, octaves.size(), side);
    const StereoSpan fresh = held.span().part(octaves.size(), ahead);
    row(at, fresh);
    rumble.process(fresh.left, fresh.right, fresh.frames);
    for (std::int64_t h = 0; h < kHopsAtOnce && curve.db.size() < total; ++h) {
      double power = 0;
      for (std::int64_t i = h * hop; i < (h + 1) * hop; ++i) {
        const double l = fresh.left[i], r = fresh.right[i];
        power += 0.5 * (l * l + r * r);
      }
      curve.db.push_back(static_cast<float>(10 * std::log10(power / static_cast<double>(hop) + kLeastPower)));
      quiet = curve.db.back() > -110 ? 0 : quiet + hop;
      // The window that ends with this step is centred half a window earlier.
      if (h % 2 != 0) continue;
      const std::int64_t end = octaves.size() + (h + 1) * hop;
      if (quiet >= octaves.size())
        curve.bandsDb.push_back(none);
      else
        curve.bandsDb.push_back(octaves.of(held.left() + end - octaves.size(), held.right() + end - octaves.size()));
    }
  }
  // So that a step's bands are those around it.
  const auto late = static_cast<std::size_t>(std::llround(static_cast<double>(half) / static_cast<double>(2 * hop)));
  if (!curve.bandsDb.empty()) {
    curve.bandsDb.erase(curve.bandsDb.begin(),
                        curve.bandsDb.begin() + static_cast<std::ptrdiff_t>(std::min(late, curve.bandsDb.size() - 1)));
    curve.bandsDb.resize((curve.db.size() + 1) / 2, curve.bandsDb.back());
  }
  return curve;
}

} // namespace ivrin
