#include "dsp/measure/loudness.h"

#include "audio/simd.h"
#include "dsp/filter/svf.h"

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

constexpr float kActive = 1e-4f; // −80 dBFS: a sample that is heard

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

namespace side_by_side {

typedef double FourDoubles __attribute__((vector_size(32))); // left and right of the first sound, then of the second

struct FourBiquads {
  double b0, b1, b2, a1, a2;
  FourDoubles z1{}, z2{};
  explicit FourBiquads(const Biquad& b)
      : b0(b.b0)
      , b1(b.b1)
      , b2(b.b2)
      , a1(b.a1)
      , a2(b.a2) {}
};

struct PairFilters {
  FourBiquads shelf, high, low;
};

} // namespace side_by_side
using side_by_side::FourBiquads;
using side_by_side::FourDoubles;
using side_by_side::PairFilters;

namespace {

/// The sums over `frames` of K-weighted and of low power, lane by lane; the weighted power of each frame where asked.
IVRIN_CLONES void runPair(PairFilters& filters, const float* const* in, std::int64_t frames, FourDoubles& weighted,
                          FourDoubles& lows, float (*powers)[2]) {
  FourBiquads s = filters.shelf, h = filters.high, w = filters.low;
  FourDoubles sum{}, lowSum{};
  for (std::int64_t i = 0; i < frames; ++i) {
    const FourDoubles x = {in[0][i], in[1][i], in[2][i], in[3][i]};
    const FourDoubles y = s.b0 * x + s.z1;
    s.z1 = s.b1 * x - s.a1 * y + s.z2;
    s.z2 = s.b2 * x - s.a2 * y;
    const FourDoubles k = h.b0 * y + h.z1;
    h.z1 = h.b1 * y - h.a1 * k + h.z2;
    h.z2 = h.b2 * y - h.a2 * k;
    const FourDoubles l = w.b0 * x + w.z1;
    w.z1 = w.b1 * x - w.a1 * l + w.z2;
    w.z2 = w.b2 * x - w.a2 * l;
    const FourDoubles p = k * k;
    sum += p;
    lowSum += l * l;
    if (powers) {
      powers[i][0] = static_cast<float>(p[0] + p[1]);
      powers[i][1] = static_cast<float>(p[2] + p[3]);
    }
  }
  filters = {s, h, w};
  weighted += sum;
  lows += lowSum;
}

/// The lows' filter of every measure: two poles at 200 Hz (R. Bristow-Johnson's cookbook: the bilinear transform, as
/// StereoSvf's).
Biquad lowPass(double rate) {
  const double w = 2 * std::numbers::pi * std::min(200.0, 0.49 * rate) / rate, c = std::cos(w),
               a = std::sin(w) / (2 * std::numbers::sqrt2 / 2), n = 1 + a;
  return {(1 - c) / 2 / n, (1 - c) / n, (1 - c) / 2 / n, -2 * c / n, (1 - a) / n};
}

constexpr double kAbsoluteGateLufs = -70, kRelativeGateLu = -10;
constexpr int kHopsOfBlock = 4; // 400 ms each 100 ms

/// BS.1770-5 annex 1, from sums of K-weighted power over hops.
double gatedLufs(const std::vector<double>& hops, double hopFrames) {
  const auto blocks = [&](double least, double& sum) {
    std::size_t n = 0;
    sum = 0;
    for (std::size_t i = 0; i + kHopsOfBlock <= hops.size(); ++i) {
      double power = 0;
      for (std::size_t k = i; k < i + kHopsOfBlock; ++k) power += hops[k];
      power /= kHopsOfBlock * hopFrames;
      if (lufsOfPower(power) <= least) continue;
      sum += power;
      ++n;
    }
    return n;
  };
  double sum = 0;
  std::size_t n = blocks(kAbsoluteGateLufs, sum);
  if (n == 0) return -200;
  n = blocks(std::max(kAbsoluteGateLufs, lufsOfPower(sum / static_cast<double>(n)) + kRelativeGateLu), sum);
  return n > 0 ? lufsOfPower(sum / static_cast<double>(n)) : -200;
}

} // namespace

struct PairLoudness::Body {
  explicit Body(double sampleRate)
      : hop(std::max<std::int64_t>(1, std::llround(sampleRate / 10)))
      , filters{FourBiquads(shelf(sampleRate)), FourBiquads(highPass(sampleRate)), FourBiquads(lowPass(sampleRate))} {}
  const std::int64_t hop;
  PairFilters filters;
  FourDoubles inHop{}, lows{};
  std::int64_t held = 0, frames = 0;
  std::vector<double> hops[2];
  double active[2] = {}; // of the first 400 ms, which may be all there is: the sum over active samples, and how many
  std::int64_t actives[2] = {};
};

PairLoudness::PairLoudness(double sampleRate)
    : body_(std::make_unique<Body>(sampleRate)) {}
PairLoudness::~PairLoudness() = default;

void PairLoudness::add(const StereoSpan& first, const StereoSpan& second) {
  Body& b = *body_;
  float powers[256][2];
  for (std::int64_t at = 0; at < first.frames;) {
    const bool opening = b.frames < kHopsOfBlock * b.hop;
    const std::int64_t n = std::min({first.frames - at, b.hop - b.held, opening ? std::int64_t{256} : b.hop});
    const float* const in[] = {first.left + at, first.right + at, second.left + at, second.right + at};
    runPair(b.filters, in, n, b.inHop, b.lows, opening ? powers : nullptr);
    if (opening)
      for (std::int64_t i = 0; i < n; ++i)
        for (int w = 0; w < 2; ++w)
          if (std::max(std::abs(in[2 * w][i]), std::abs(in[2 * w + 1][i])) > kActive) {
            b.active[w] += static_cast<double>(powers[i][w]);
            ++b.actives[w];
          }
    at += n;
    b.held += n;
    b.frames += n;
    if (b.held < b.hop) continue;
    for (int w = 0; w < 2; ++w) b.hops[w].push_back(b.inHop[2 * w] + b.inHop[2 * w + 1]);
    b.inHop = FourDoubles{};
    b.held = 0;
  }
}

PairLoudness::Figures PairLoudness::figures(int which) const {
  const Body& b = *body_;
  const auto w = static_cast<std::size_t>(which);
  Figures f;
  if (b.frames >= kHopsOfBlock * b.hop)
    f.integratedLufs = gatedLufs(b.hops[w], static_cast<double>(b.hop));
  else if (b.actives[w] > 0)
    f.integratedLufs = lufsOfPower(b.active[w] / static_cast<double>(b.actives[w]));
  const double lows =
      (b.lows[2 * which] + b.lows[2 * which + 1]) / static_cast<double>(2 * std::max<std::int64_t>(b.frames, 1));
  if (lows > 1e-20) f.lowEnergyDb = 10 * std::log10(lows);
  return f;
}

struct WeightedPower::Body {
  Biquad shelfLeft, shelfRight, highLeft, highRight;
  std::int64_t hop, held = 0;
  double sum = 0;
  std::vector<float> means{};
};

WeightedPower::WeightedPower(double rate, std::int64_t hop)
    : body_(new Body{shelf(rate), shelf(rate), highPass(rate), highPass(rate), hop}) {}

WeightedPower::~WeightedPower() = default;

void WeightedPower::add(const float* left, const float* right, std::int64_t frames) {
  Body& b = *body_;
  for (std::int64_t i = 0; i < frames; ++i) {
    const double l = b.highLeft.step(b.shelfLeft.step(left[i])), r = b.highRight.step(b.shelfRight.step(right[i]));
    b.sum += l * l + r * r;
    if (++b.held < b.hop) continue;
    b.means.push_back(static_cast<float>(b.sum / static_cast<double>(b.hop)));
    b.sum = 0;
    b.held = 0;
  }
}

std::vector<float> WeightedPower::take() {
  return std::move(body_->means);
}

std::vector<float> kWeightedPower(const float* left, const float* right, std::int64_t frames, double sampleRate) {
  WeightedPower power(sampleRate);
  power.add(left, right, frames);
  return power.take();
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

double loudestWindowLufs(const StereoBuffer& sound, double sampleRate, std::int64_t window) {
  if (sound.frames() == 0) return -200;
  return loudestWindowLufs(kWeightedPower(sound.left(), sound.right(), sound.frames(), sampleRate), window);
}

double samplePeak(const float* left, const float* right, std::int64_t frames) {
  float peak = 0;
  for (std::int64_t i = 0; i < frames; ++i) peak = std::max(peak, std::max(std::abs(left[i]), std::abs(right[i])));
  return peak;
}

struct LoudnessMeter::Body {
  Body(int sampleRate, bool isWhole)
      : rate(sampleRate)
      , whole(isWhole)
      , hop(std::max(1, sampleRate / 10))
      , low(StereoSvf::Pass::low, 200, 200, sampleRate)
      , left(static_cast<std::size_t>(hop))
      , right(static_cast<std::size_t>(hop))
      , block(static_cast<std::size_t>(2 * hop))
      , state(ebur128_init(2, static_cast<unsigned>(sampleRate),
                           EBUR128_MODE_I | (isWhole ? EBUR128_MODE_S | EBUR128_MODE_TRUE_PEAK : 0))) {}
  ~Body() {
    if (state) ebur128_destroy(&state);
  }
  Body(const Body&) = delete;
  Body& operator=(const Body&) = delete;

  /// What is in hand, a tenth of a second or the rest.
  void take() {
    // After four seconds of silence nothing of what sounded before is in any window: more of it changes no figure.
    constexpr int kHopsUntilNothing = 40;
    silentHops = StereoSpan{left.data(), right.data(), held}.isSilent() ? silentHops + 1 : 0;
    if (silentHops > kHopsUntilNothing) {
      frames += held;
      held = 0;
      return;
    }
    for (std::int64_t i = 0; i < held; ++i) {
      const auto k = static_cast<std::size_t>(i);
      block[2 * k] = left[k];
      block[2 * k + 1] = right[k];
    }
    peak = std::max(peak, samplePeak(left.data(), right.data(), held));
    if (frames < rate * 2 / 5) { // may be all there is: see finish()
      firstLeft.insert(firstLeft.end(), left.begin(), left.begin() + held);
      firstRight.insert(firstRight.end(), right.begin(), right.begin() + held);
    }
    if (state) {
      ebur128_add_frames_float(state, block.data(), static_cast<std::size_t>(held));
      double s = -HUGE_VAL;
      if (whole && ebur128_loudness_shortterm(state, &s) == EBUR128_SUCCESS) shortMax = std::max(shortMax, s);
    }
    low.process(left.data(), right.data(), held);
    for (std::int64_t i = 0; i < held; ++i) {
      const double a = left[static_cast<std::size_t>(i)], b = right[static_cast<std::size_t>(i)];
      lowPower += a * a + b * b;
    }
    frames += held;
    held = 0;
  }

  const int rate;
  const bool whole;
  const std::int64_t hop;
  StereoSvf low;
  std::vector<float> left, right, block, firstLeft, firstRight;
  ebur128_state* state;
  std::int64_t held = 0, frames = 0, silentHops = 0;
  double peak = 0, lowPower = 0, shortMax = -HUGE_VAL;
};

LoudnessMeter::LoudnessMeter(int sampleRate, bool whole)
    : body_(std::make_unique<Body>(sampleRate, whole)) {}
LoudnessMeter::~LoudnessMeter() = default;

void LoudnessMeter::add(const float* left, const float* right, std::int64_t frames) {
  Body& b = *body_;
  for (std::int64_t done = 0; done < frames;) {
    const std::int64_t n = std::min(frames - done, b.hop - b.held);
    std::copy_n(left + done, n, b.left.begin() + b.held);
    std::copy_n(right + done, n, b.right.begin() + b.held);
    b.held += n;
    done += n;
    if (b.held == b.hop) b.take();
  }
}

Loudness LoudnessMeter::finish() {
  Body& b = *body_;
  if (b.held > 0) b.take();
  Loudness m;
  if (b.peak == 0) return m;
  m.samplePeakDbfs = 20 * std::log10(b.peak);
  double integrated = -HUGE_VAL;
  if (b.state) ebur128_loudness_global(b.state, &integrated);
  if (b.whole && b.state) {
    double tl = 0, tr = 0;
    ebur128_true_peak(b.state, 0, &tl);
    ebur128_true_peak(b.state, 1, &tr);
    m.truePeakDbtp = 20 * std::log10(std::max({tl, tr, b.peak, 1e-10}));
  }
  if (b.frames < b.rate * 2 / 5) { // no complete gating block: K-weighted RMS over the active samples
    const auto power = kWeightedPower(b.firstLeft.data(), b.firstRight.data(), b.frames, b.rate);
    double sum = 0;
    std::int64_t active = 0;
    for (std::size_t i = 0; i < power.size(); ++i)
      if (std::max(std::abs(b.firstLeft[i]), std::abs(b.firstRight[i])) > kActive) {
        sum += static_cast<double>(power[i]);
        ++active;
      }
    integrated = active > 0 ? lufsOfPower(sum / static_cast<double>(active)) : -HUGE_VAL;
  }
  if (std::isfinite(integrated)) m.integratedLufs = integrated;
  if (std::isfinite(b.shortMax)) m.shortTermMaxLufs = b.shortMax;
  const double lowMean = b.lowPower / static_cast<double>(2 * b.frames);
  if (lowMean > 1e-20) m.lowEnergyDb = 10 * std::log10(lowMean);
  return m;
}

Loudness measureLoudness(const float* left, const float* right, std::int64_t frames, int sampleRate, bool whole) {
  if (frames <= 0) return {};
  LoudnessMeter meter(sampleRate, whole);
  meter.add(left, right, frames);
  return meter.finish();
}

} // namespace ivrin
