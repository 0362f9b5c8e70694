#include "dsp/dynamics/mix_limiter.h"

#include "audio/simd.h"
#include "dsp/filter/windowed_sinc.h"

#include <cmath>
#include <cstring>

namespace ivrin {
namespace {

constexpr int kSincHalf = 16, kPeakTaps = 2 * kSincHalf, kPeakPhases = 8;
constexpr double kAheadSeconds = 0.004;
constexpr double kFallSeconds = 0.016;                     // to 1/e, of a peak's own reduction
constexpr double kHoldSeconds = 0.03, kSlowSeconds = 0.44; // 0.47 s together
constexpr double kLeastLeft = 0.002;                       // of a reduction: 0.01 dB of 6
constexpr double kSteps = 65536;                           // to the decibel
constexpr std::int64_t kBlockCells = 64;
/// The true peak found here may lie this much under the one of a finer grid: cos(π·20k/(8·48k)) = −0.117 dB at
/// 20 kHz; aimed at a tenth lower, so that both stated margins hold.
constexpr double kAimDb = -0.06;

/// The interpolator that libebur128 measures true peak with (and by which the ceiling is promised): a sinc of `factor`
/// under a Hann window of 49 taps of the finer grid. Near half the sample rate it reads up to 0.4 dB more than ours.
constexpr int kMeterTaps = 12;
std::vector<float> meterKernels(double sampleRate) {
  const int factor = sampleRate < 96000 ? 4 : sampleRate < 192000 ? 2 : 1;
  constexpr int kWindow = 49;
  std::vector<float> all;
  for (int phase = 1; phase < factor; ++phase)
    for (int k = 0; k < kMeterTaps; ++k) { // taps in the order of the samples
      // Of the finer grid: the taps of one phase lie `factor` apart; with 4, 12 of them; with 2, the middle 12 of 24.
      const int j = phase + factor * (kMeterTaps - 1 - k) + (kWindow - 1 - factor * kMeterTaps) / 2;
      const double m = j - (kWindow - 1) / 2.0;
      const double sinc = m == 0 ? 1 : std::sin(M_PI * m / factor) / (M_PI * m / factor);
      all.push_back(static_cast<float>(sinc * 0.5 * (1 - std::cos(2 * M_PI * j / (kWindow - 1)))));
    }
  return all;
}

/// Largest magnitude between the samples of one cell, over the inner phases of kernels of `Taps` taps.
template <int Taps>
inline __attribute__((always_inline)) float betweenPeakOf(const float* x, const float* kernels, int phases) {
  float best[16] = {};
  for (int half = 0; half < 2; ++half) {
    const float* in = x + half * 16 - Taps / 2 + 1;
    for (int p = 0; p < phases; ++p) {
      const float* c = kernels + p * Taps;
      float acc[16] = {};
      for (int k = 0; k < Taps; ++k)
        for (int j = 0; j < 16; ++j) acc[j] += c[k] * in[j + k];
      for (int j = 0; j < 16; ++j) {
        const float m = acc[j] < 0 ? -acc[j] : acc[j];
        best[j] = m > best[j] ? m : best[j];
      }
    }
  }
  float peak = 0;
  for (float b : best) peak = b > peak ? b : peak;
  return peak;
}

IVRIN_CLONES float betweenPeak(const float* x, const float* kernels, const float* meter, int meterPhases) {
  return std::max(betweenPeakOf<kPeakTaps>(x, kernels, kPeakPhases - 1),
                  betweenPeakOf<kMeterTaps>(x, meter, meterPhases));
}

IVRIN_CLONES float largest(const float* x, std::int64_t n) {
  float best[8] = {};
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8)
    for (int j = 0; j < 8; ++j) {
      const float m = x[i + j] < 0 ? -x[i + j] : x[i + j];
      best[j] = m > best[j] ? m : best[j];
    }
  float peak = 0;
  for (float b : best) peak = b > peak ? b : peak;
  for (; i < n; ++i) peak = std::max(peak, std::abs(x[i]));
  return peak;
}

std::int64_t floorDiv(std::int64_t a, std::int64_t b) {
  return a >= 0 ? a / b : -((-a + b - 1) / b);
}

} // namespace

MixLimiter::MixLimiter(double sampleRate, double ceilingDbtp, MixSource source)
    : ceiling_(Decibels(ceilingDbtp + kAimDb).gain())
    , source_(std::move(source))
    , ahead_(static_cast<std::int64_t>(std::ceil(kAheadSeconds * sampleRate / kCell)))
    , hold_(static_cast<std::int64_t>(std::ceil(kHoldSeconds * sampleRate / kCell)))
    , slow_(static_cast<std::int64_t>(std::ceil(kSlowSeconds * sampleRate / kCell))) {
  back_ = hold_ + slow_ + 1;
  const double step = std::exp(-kCell / (kFallSeconds * sampleRate));
  for (double left = 1; left > kLeastLeft && static_cast<std::int64_t>(fall_.size()) < back_; left *= step)
    fall_.push_back(static_cast<float>(left));
  double worst = 1;
  for (int p = 1; p < kPeakPhases; ++p) {
    const auto c = sincKernel(static_cast<double>(p) / kPeakPhases, kSincHalf, 7.0);
    kernels_.insert(kernels_.end(), c.begin(), c.end());
    double sum = 0;
    for (float v : c) sum += std::abs(static_cast<double>(v));
    worst = std::max(worst, sum);
  }
  meter_ = meterKernels(sampleRate);
  for (std::size_t i = 0; i < meter_.size(); i += kMeterTaps) {
    double sum = 0;
    for (std::size_t k = 0; k < kMeterTaps; ++k) sum += std::abs(static_cast<double>(meter_[i + k]));
    worst = std::max(worst, sum);
  }
  skipBelow_ = ceiling_ / worst;
}

float MixLimiter::between(const float* x) const {
  return betweenPeak(x, kernels_.data(), meter_.data(), static_cast<int>(meter_.size()) / kMeterTaps);
}

void MixLimiter::appendBlock() {
  // Samples of cells [firstCell_−1, firstCell_+cells_+1) are there; read kBlockCells more and judge as many cells.
  const std::int64_t have = windowFrames_;
  windowFrames_ = have + kBlockCells * kCell;
  if (window_.frames() < windowFrames_) window_.resize(2 * windowFrames_);
  source_(Frames((firstCell_ - 1) * kCell + have), window_.span().part(have, kBlockCells * kCell));
  // Most blocks come nowhere near the ceiling: one look at all of it settles them.
  const std::int64_t begin = (cells_ + 1) * kCell - kSincHalf, reach = kBlockCells * kCell + 2 * kSincHalf;
  if (std::max(largest(window_.left() + begin, reach), largest(window_.right() + begin, reach)) <= skipBelow_) {
    needDb_.insert(needDb_.end(), kBlockCells, 0.0f);
    cells_ += kBlockCells;
    return;
  }
  for (std::int64_t c = cells_; c < cells_ + kBlockCells; ++c) {
    const std::int64_t at = (c + 1) * kCell;
    float peak = 0;
    for (const float* side : {window_.left(), window_.right()}) {
      const float near = largest(side + at - kSincHalf, kCell + 2 * kSincHalf);
      peak = std::max(peak, largest(side + at, kCell));
      if (near > skipBelow_) peak = std::max(peak, between(side + at));
    }
    needDb_.push_back(peak > ceiling_ ? static_cast<float>(20.0 * std::log10(ceiling_ / static_cast<double>(peak)))
                                      : 0.0f);
  }
  cells_ += kBlockCells;
}

void MixLimiter::sumHeld() {
  for (auto i = static_cast<std::int64_t>(heldSum_.size()); i < cells_; ++i) {
    if (needDb_[static_cast<std::size_t>(i)] < 0) sinceNeed_ = -1;
    float held = 0;
    if (++sinceNeed_ <= hold_) // mostly nothing is needed
      for (std::int64_t j = std::max<std::int64_t>(0, i - hold_); j <= i; ++j)
        held = std::min(held, needDb_[static_cast<std::size_t>(j)]);
    const std::int64_t before = i > 0 ? heldSum_[static_cast<std::size_t>(i - 1)] : 0;
    heldSum_.push_back(before + std::llround(-static_cast<double>(held) * kSteps));
  }
}

void MixLimiter::ensureCells(std::int64_t first, std::int64_t end) {
  if (!started_ || first < firstCell_ || first > firstCell_ + cells_) {
    started_ = true;
    firstCell_ = first;
    cells_ = 0;
    needDb_.clear();
    heldSum_.clear();
    sinceNeed_ = hold_;
    windowFrames_ = 2 * kCell;
    if (window_.frames() < windowFrames_) window_.resize(windowFrames_);
    source_(Frames((first - 1) * kCell), window_.span().part(0, windowFrames_));
  }
  while (firstCell_ + cells_ < end) appendBlock();
  sumHeld();
  // Forget what lies well behind, in large steps so that moving memory stays rare.
  if (const std::int64_t drop = first - firstCell_; drop > 1024) {
    const std::int64_t keep = windowFrames_ - drop * kCell;
    for (float* side : {window_.left(), window_.right()})
      std::memmove(side, side + drop * kCell, static_cast<std::size_t>(keep) * sizeof(float));
    windowFrames_ = keep;
    needDb_.erase(needDb_.begin(), needDb_.begin() + drop);
    heldSum_.erase(heldSum_.begin(), heldSum_.begin() + drop);
    firstCell_ += drop;
    cells_ -= drop;
  }
}

float MixLimiter::gainOfCell(std::int64_t cell) const {
  float db = 0;
  const std::int64_t i = cell - firstCell_;
  // A neighbour's need counts in full: the interpolation between samples reaches across the border.
  for (std::int64_t j = -1; j <= 1; ++j) db = std::min(db, needDb_[static_cast<std::size_t>(i + j)]);
  for (std::int64_t j = 2; j <= ahead_; ++j) {
    const float need = needDb_[static_cast<std::size_t>(i + j)];
    if (need < 0) db = std::min(db, need * (1.0f - static_cast<float>(j - 1) / static_cast<float>(ahead_)));
  }
  // Falling: a cell's own need counts in full for the next one, too.
  for (std::int64_t j = 2; j < static_cast<std::int64_t>(fall_.size()); ++j) {
    const float need = needDb_[static_cast<std::size_t>(i - j)];
    if (need < 0) db = std::min(db, need * fall_[static_cast<std::size_t>(j - 1)]);
  }
  const std::int64_t sum = heldSum_[static_cast<std::size_t>(i)] - heldSum_[static_cast<std::size_t>(i - slow_)];
  if (sum > 0) db = std::min(db, static_cast<float>(static_cast<double>(-sum) / (kSteps * static_cast<double>(slow_))));
  return db == 0 ? 1.0f : static_cast<float>(std::pow(10.0, static_cast<double>(db) / 20.0));
}

void MixLimiter::read(Frames from, StereoSpan out) {
  lastReduction_ = 0;
  if (out.frames <= 0) return;
  const std::int64_t firstCell = floorDiv(from.count, kCell),
                     endCell = floorDiv(from.count + out.frames - 1, kCell) + 1;
  ensureCells(firstCell - 1 - back_, endCell + 1 + ahead_);
  const std::int64_t offset = from.count - (firstCell_ - 1) * kCell;
  std::memcpy(out.left, window_.left() + offset, static_cast<std::size_t>(out.frames) * sizeof(float));
  std::memcpy(out.right, window_.right() + offset, static_cast<std::size_t>(out.frames) * sizeof(float));

  const auto begin = needDb_.begin() + (firstCell - 1 - back_ - firstCell_);
  const auto end = needDb_.begin() + (endCell + 1 + ahead_ - firstCell_);
  if (std::all_of(begin, end, [](float db) { return db == 0; })) return; // gain exactly 1: bit-transparent
  float before = gainOfCell(firstCell - 1), here = gainOfCell(firstCell);
  for (std::int64_t cell = firstCell; cell < endCell; ++cell) {
    const float after = gainOfCell(cell + 1);
    const float a = std::min(before, here), b = std::min(here, after);
    before = here;
    here = after;
    if (a == 1 && b == 1) continue;
    lastReduction_ = std::max(lastReduction_, -20.0 * std::log10(static_cast<double>(std::min(a, b))));
    const std::int64_t cellStart = cell * kCell - from.count;
    for (std::int64_t k = std::max<std::int64_t>(0, -cellStart); k < kCell && cellStart + k < out.frames; ++k) {
      const float g = a + (b - a) * (static_cast<float>(k) / static_cast<float>(kCell));
      out.left[cellStart + k] *= g;
      out.right[cellStart + k] *= g;
    }
  }
}

} // namespace ivrin
