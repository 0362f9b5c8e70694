#include "dsp/loudness.h"

#include "dsp/svf.h"

#include <ebur128.h>

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

/// The two filters of BS.1770 for any sample rate; the analogue parameters behind the standard's 48 kHz table are
/// those published with libebur128 (f0 1681.97 Hz, +4.0 dB shelf; f0 38.14 Hz, Q 0.5003 high-pass).
Biquad shelf(double rate) {
  const double k = std::tan(std::numbers::pi * 1681.974450955533 / rate), q = 0.7071752369554196;
  const double vh = std::pow(10.0, 3.999843853973347 / 20.0), vb = std::pow(vh, 0.4996667741545416);
  const double a0 = 1 + k / q + k * k;
  return {(vh + vb * k / q + k * k) / a0, 2 * (k * k - vh) / a0, (vh - vb * k / q + k * k) / a0, 2 * (k * k - 1) / a0,
          (1 - k / q + k * k) / a0};
}
Biquad highPass(double rate) {
  const double k = std::tan(std::numbers::pi * 38.13547087602444 / rate), q = 0.5003270373238773;
  const double a0 = 1 + k / q + k * k;
  return {1, -2, 1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0};
}

double lufsOfPower(double meanPower) {
  return meanPower > 1e-20 ? -0.691 + 10 * std::log10(meanPower) : -200;
}

} // namespace

MomentaryLoudness::MomentaryLoudness(double sampleRate)
    : filters_{shelf(sampleRate), shelf(sampleRate), highPass(sampleRate), highPass(sampleRate)}
    , binFrames_(std::llround(0.05 * sampleRate)) {}

void MomentaryLoudness::add(const float* left, const float* right, std::int64_t frames) {
  for (std::int64_t i = 0; i < frames; ++i) {
    const double l = filters_[2].step(filters_[0].step(left[i])), r = filters_[3].step(filters_[1].step(right[i]));
    sum_ += l * l + r * r;
    if (++inBin_ < binFrames_) continue;
    bins_[bin_] = sum_;
    bin_ = (bin_ + 1) % kBins;
    inBin_ = 0;
    sum_ = 0;
    double all = 0;
    for (double b : bins_) all += b;
    lufs_ = lufsOfPower(all / static_cast<double>(kBins * binFrames_));
  }
}

std::vector<float> kWeightedPower(const float* left, const float* right, std::int64_t frames, double sampleRate) {
  Biquad sl = shelf(sampleRate), sr = sl, hl = highPass(sampleRate), hr = hl;
  std::vector<float> power(static_cast<std::size_t>(frames));
  for (std::int64_t i = 0; i < frames; ++i) {
    const double l = hl.step(sl.step(left[i])), r = hr.step(sr.step(right[i]));
    power[static_cast<std::size_t>(i)] = static_cast<float>(l * l + r * r);
  }
  return power;
}

double loudestWindowLufs(const std::vector<float>& power, std::int64_t window) {
  const auto n = static_cast<std::int64_t>(power.size());
  if (n == 0) return -200;
  window = std::clamp<std::int64_t>(window, 1, n);
  double sum = 0, best = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    sum += static_cast<double>(power[static_cast<std::size_t>(i)]);
    if (i >= window) sum -= static_cast<double>(power[static_cast<std::size_t>(i - window)]);
    if (i >= window - 1) best = std::max(best, sum);
  }
  return lufsOfPower(best / static_cast<double>(window));
}

double samplePeak(const float* left, const float* right, std::int64_t frames) {
  float peak = 0;
  for (std::int64_t i = 0; i < frames; ++i) peak = std::max(peak, std::max(std::abs(left[i]), std::abs(right[i])));
  return peak;
}

Loudness measureLoudness(const float* left, const float* right, std::int64_t frames, int sampleRate, bool truePeak) {
  Loudness m;
  if (frames <= 0) return m;
  const double peak = samplePeak(left, right, frames);
  m.samplePeakDbfs = peak > 0 ? 20 * std::log10(peak) : -200;
  if (peak == 0) return m;

  const int mode = EBUR128_MODE_I | EBUR128_MODE_S | (truePeak ? EBUR128_MODE_TRUE_PEAK : 0);
  ebur128_state* state = ebur128_init(2, static_cast<unsigned>(sampleRate), mode);
  StereoSvf low(StereoSvf::Pass::low, 200, 200, sampleRate);
  double lowPower = 0;
  std::vector<float> block, l(4800), r(4800);
  const std::int64_t hop = std::max(1, sampleRate / 10);
  double shortMax = -HUGE_VAL;
  for (std::int64_t at = 0; at < frames; at += hop) {
    const std::int64_t n = std::min(hop, frames - at);
    block.resize(static_cast<std::size_t>(2 * n));
    l.assign(left + at, left + at + n);
    r.assign(right + at, right + at + n);
    for (std::int64_t i = 0; i < n; ++i) {
      block[static_cast<std::size_t>(2 * i)] = left[at + i];
      block[static_cast<std::size_t>(2 * i + 1)] = right[at + i];
    }
    ebur128_add_frames_float(state, block.data(), static_cast<std::size_t>(n));
    double s = -HUGE_VAL;
    if (ebur128_loudness_shortterm(state, &s) == EBUR128_SUCCESS) shortMax = std::max(shortMax, s);
    low.process(l.data(), r.data(), n);
    for (std::int64_t i = 0; i < n; ++i) {
      const double a = l[static_cast<std::size_t>(i)], b = r[static_cast<std::size_t>(i)];
      lowPower += a * a + b * b;
    }
  }
  double integrated = -HUGE_VAL;
  ebur128_loudness_global(state, &integrated);
  if (truePeak) {
    double tl = 0, tr = 0;
    ebur128_true_peak(state, 0, &tl);
    ebur128_true_peak(state, 1, &tr);
    m.truePeakDbtp = 20 * std::log10(std::max({tl, tr, peak, 1e-10}));
  }
  ebur128_destroy(&state);
  if (frames < sampleRate * 2 / 5) { // no complete gating block: K-weighted RMS over the active samples
    const auto power = kWeightedPower(left, right, frames, sampleRate);
    double sum = 0;
    std::int64_t active = 0;
    for (std::int64_t i = 0; i < frames; ++i)
      if (std::max(std::abs(left[i]), std::abs(right[i])) > 1e-4) {
        sum += static_cast<double>(power[static_cast<std::size_t>(i)]);
        ++active;
      }
    integrated = active > 0 ? lufsOfPower(sum / static_cast<double>(active)) : -HUGE_VAL;
  }
  if (std::isfinite(integrated)) m.integratedLufs = integrated;
  if (std::isfinite(shortMax)) m.shortTermMaxLufs = shortMax;
  const double lowMean = lowPower / static_cast<double>(2 * frames);
  if (lowMean > 1e-20) m.lowEnergyDb = 10 * std::log10(lowMean);
  return m;
}

} // namespace ivrin
