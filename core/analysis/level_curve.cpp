#include "analysis/level_curve.h"

#include "dsp/fourier.h"
#include "dsp/svf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kRumbleHz = 70, kBandSeconds = 0.04;
constexpr double kLeastPower = 1e-12;
constexpr std::int64_t kHopsAtOnce = 256;

/// Power in octaves of a Hann-windowed stretch, both sides.
class Octaves {
 public:
  explicit Octaves(double sampleRate)
      : size_(sizeFor(sampleRate))
      , fourier_(RealFourier::ofSize(size_))
      , in_(fourier_->samples())
      , out_(fourier_->spectrum())
      , window_(static_cast<std::size_t>(size_)) {
    double power = 0;
    for (std::int64_t i = 0; i < size_; ++i) {
      const double w = 0.5 - 0.5 * std::cos(2 * M_PI * (static_cast<double>(i) + 0.5) / static_cast<double>(size_));
      window_[static_cast<std::size_t>(i)] = static_cast<float>(w);
      power += w * w;
    }
    scale_ = 1 / (power * static_cast<double>(size_)); // Parseval: mean power of the windowed stretch, one side
    for (int b = 0; b <= LevelCurve::kBands; ++b)
      edges_[static_cast<std::size_t>(b)] = std::min<std::int64_t>(
          std::llround(100 * std::exp2(b) / sampleRate * static_cast<double>(size_)), fourier_->bins());
  }
  std::int64_t size() const { return size_; }
  std::array<float, LevelCurve::kBands> of(const float* left, const float* right) {
    std::array<double, LevelCurve::kBands> power{};
    for (const float* side : {left, right}) {
      for (std::int64_t i = 0; i < size_; ++i) in_[i] = side[i] * window_[static_cast<std::size_t>(i)];
      fourier_->forward(in_.get(), out_.get());
      for (std::size_t b = 0; b < power.size(); ++b)
        for (std::int64_t k = edges_[b]; k < edges_[b + 1]; ++k)
          power[b] += static_cast<double>(std::norm(out_[static_cast<std::ptrdiff_t>(k)]));
    }
    std::array<float, LevelCurve::kBands> db{};
    for (std::size_t b = 0; b < db.size(); ++b)
      db[b] = static_cast<float>(10 * std::log10(power[b] * scale_ + kLeastPower));
    return db;
  }

 private:
  static std::int64_t sizeFor(double sampleRate) {
    std::int64_t n = 64;
    while (static_cast<double>(n) < kBandSeconds * sampleRate) n *= 2;
    return n;
  }
  std::int64_t size_;
  std::shared_ptr<const RealFourier> fourier_;
  RealFourier::Samples in_;
  RealFourier::Bins out_;
  std::vector<float> window_;
  double scale_ = 1;
  std::array<std::int64_t, LevelCurve::kBands + 1> edges_{};
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
