// Measuring: loudness by ITU-R BS.1770 / EBU R 128 (libebur128 for whole files, K-weighting of our own for short
// stretches), true peak, energy in the lows.
#pragma once

#include "audio/buffer.h"

#include <memory>
#include <optional>
#include <vector>

namespace ivrin {

/// Direct form II transposed, double precision.
struct Biquad {
  double b0 = 1, b1 = 0, b2 = 0, a1 = 0, a2 = 0, z1 = 0, z2 = 0;
  double step(double x) {
    const double y = b0 * x + z1;
    z1 = b1 * x - a1 * y + z2;
    z2 = b2 * x - a2 * y;
    return y;
  }
};

/// Momentary loudness (EBU Tech 3341: 400 ms, no gate) of a stream, renewed every 50 ms. No allocation after the
/// making.
class MomentaryLoudness {
 public:
  explicit MomentaryLoudness(double sampleRate);
  void add(const float* left, const float* right, std::int64_t frames);
  double lufs() const { return lufs_; }

 private:
  static constexpr int kBins = 8;
  Biquad filters_[4];
  double bins_[kBins] = {}, sum_ = 0, lufs_ = -200;
  std::int64_t binFrames_, inBin_ = 0;
  int bin_ = 0;
};

struct Loudness {
  double integratedLufs = -200; // −200 when there is nothing above the gate
  double shortTermMaxLufs = -200;
  double truePeakDbtp = -200;
  double samplePeakDbfs = -200;
  double lowEnergyDb = -200; // RMS under 200 Hz re full scale
};

/// Of a stream of any length, in memory that does not grow with it but for 16 bytes each 100 ms.
class LoudnessMeter {
 public:
  /// `whole`: short-term maximum and true peak too, which take most of the time.
  explicit LoudnessMeter(int sampleRate, bool whole = true);
  ~LoudnessMeter();
  LoudnessMeter(const LoudnessMeter&) = delete;
  LoudnessMeter& operator=(const LoudnessMeter&) = delete;
  void add(const float* left, const float* right, std::int64_t frames);
  /// Of all that was added; once, at the end.
  Loudness finish();

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

/// Whole stretch; shorter than 0.4 s falls back to K-weighted RMS over the active samples.
Loudness measureLoudness(const float* left, const float* right, std::int64_t frames, int sampleRate, bool whole = true);

/// Two sounds measured side by side, as with and without: their integrated loudness (BS.1770-5 annex 1: blocks of 400
/// ms each 100 ms, gates at −70 LUFS and 10 LU under the mean; shorter than that the K-weighted RMS over active
/// samples) and energy under 200 Hz. Both go through one set of filters, four lanes wide: a quarter of two meters'
/// time.
class PairLoudness {
 public:
  explicit PairLoudness(double sampleRate);
  ~PairLoudness();
  PairLoudness(const PairLoudness&) = delete;
  PairLoudness& operator=(const PairLoudness&) = delete;
  void add(const StereoSpan& first, const StereoSpan& second);
  struct Figures {
    double integratedLufs = -200, lowEnergyDb = -200; // as in Loudness
  };
  /// Of all that was added; 0: the first sound, 1: the second.
  Figures figures(int which) const;

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

/// K-weighted power of a sound that comes in parts, as means over `hop` frames.
class WeightedPower {
 public:
  explicit WeightedPower(double sampleRate, std::int64_t hop = 1);
  ~WeightedPower();
  void add(const float* left, const float* right, std::int64_t frames);
  /// Of all hops that are whole; given away.
  std::vector<float> take();

 private:
  struct Body;
  std::unique_ptr<Body> body_;
};

/// K-weighted power of every frame, summed over both sides (BS.1770-5 annex 1, coefficients recomputed for the rate).
std::vector<float> kWeightedPower(const float* left, const float* right, std::int64_t frames, double sampleRate);
/// Frames of a hop where the loudest window is looked for: every frame, of what lasts long 64, which tells it no worse.
inline std::int64_t measuredHop(std::int64_t windowFrames, double sampleRate) {
  return static_cast<double>(windowFrames) > 120 * sampleRate ? 64 : 1;
}
/// The loudest window of `window` frames, in LUFS (−0.691 + 10 log10 of the mean power).
double loudestWindowLufs(const std::vector<float>& power, std::int64_t window);
/// The same of a sound as it is; −200 for none.
double loudestWindowLufs(const StereoBuffer& sound, double sampleRate, std::int64_t window);

double samplePeak(const float* left, const float* right, std::int64_t frames);

} // namespace ivrin
