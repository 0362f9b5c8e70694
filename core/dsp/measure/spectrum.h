// The long-term spectrum of a stretch (P. D. Welch, 1967: averaged windowed transforms), in bands of equal ratio.
#pragma once

#include "audio/buffer.h"
#include "dsp/measure/fourier.h"
#include "time/units.h"

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace ivrin {

/// Mean level of both sides in `bands` bands from 20 Hz to 20 kHz, dB re a full-scale sine in the band; −200 for none.
std::vector<float> bandLevels(const StereoBuffer& sound, double sampleRate, int bands);

/// What a sound is made of on the whole: powers of narrow bins, the mean of at most 24 windows (Hann) over it. The bins
/// about a tone of amplitude a, summed, make a²/2.
struct MeanSpectrum {
  std::vector<double> left, right;
  double hzPerBin = 1;
};
/// Windows of `seconds`, or as long as the sound where that is shorter; each is transformed four times as long. Empty
/// for less than 64 frames.
MeanSpectrum meanSpectrum(double sampleRate, FrameRange range, double seconds,
                          const std::function<void(Frames from, StereoSpan out)>& read);

/// The note that sounds most, MIDI number: subharmonic summation over the semitones of 65 to 1050 Hz (D. J. Hermes,
/// JASA 83 (1988): harmonics weighted by 0.84 for each). Nothing where nothing sounds.
std::optional<int> strongestNote(const MeanSpectrum& spectrum);

/// Power in bands of short stretches, both sides together, under a Hann window: not scaled, see mean().
class BandPower {
 public:
  /// `edgesHz` ascend: one more than there are bands. A stretch is `size` frames long.
  BandPower(const std::vector<double>& edgesHz, double sampleRate, std::int64_t size);
  std::int64_t size() const { return size_; }
  /// What a power is multiplied by to be the mean power of the windowed stretch (Parseval).
  double mean() const { return mean_; }
  /// Of size() frames of each side; `power` has room for all bands.
  void of(const float* left, const float* right, std::span<double> power);

 private:
  std::int64_t size_;
  std::shared_ptr<const RealFourier> fourier_;
  RealFourier::Samples in_;
  RealFourier::Bins out_;
  std::vector<float> window_;
  std::vector<std::int64_t> edges_;
  double mean_ = 1;
};

} // namespace ivrin
