#include "dsp/spring_tank.h"

#include "audio/dither.h"
#include "audio/lanes.h"
#include "audio/simd.h"

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kSections = 60;
constexpr double kTransitionHz = 4300;
constexpr double kLowQ[2] = {0.54119610, 1.3065630}; // Butterworth of order four

/// One stretched allpass (a + z^−K)/(1 + a·z^−K) on eight lanes; `state` holds the last K inner values, `line` is
/// scratch for K + n.
IVRIN_CLONES void disperse(float* x, float* state, float* line, const float* coefficients, std::int64_t stretch,
                           std::int64_t n) {
  const Eight a = *reinterpret_cast<const EightInMemory*>(coefficients);
  EightInMemory* s = reinterpret_cast<EightInMemory*>(state);
  EightInMemory* w = reinterpret_cast<EightInMemory*>(line);
  EightInMemory* y = reinterpret_cast<EightInMemory*>(x);
  for (std::int64_t k = 0; k < stretch; ++k) w[k] = s[k];
  for (std::int64_t i = 0; i < n; ++i) {
    const Eight v = w[i], now = y[i] - a * v;
    w[stretch + i] = now;
    y[i] = a * now + v;
  }
  for (std::int64_t k = 0; k < stretch; ++k) s[k] = w[n + k];
}

IVRIN_CLONES void lowPass(float* x, float* state, const double* c, std::int64_t n) {
  const auto b0 = static_cast<float>(c[0]), b1 = static_cast<float>(c[1]), b2 = static_cast<float>(c[2]),
             a1 = static_cast<float>(c[3]), a2 = static_cast<float>(c[4]);
  EightInMemory* s = reinterpret_cast<EightInMemory*>(state);
  EightInMemory* y = reinterpret_cast<EightInMemory*>(x);
  Eight s0 = s[0], s1 = s[1];
  for (std::int64_t i = 0; i < n; ++i) {
    const Eight v = y[i], out = b0 * v + s0;
    s0 = b1 * v - a1 * out + s1;
    s1 = b2 * v - a2 * out;
    y[i] = out;
  }
  s[0] = s0;
  s[1] = s1;
}

} // namespace

SpringTank::SpringTank(const SpringDesign& d, double rate) {
  const double transition = std::min(kTransitionHz, 0.4 * rate);
  stretch_ = std::max<std::int64_t>(1, std::llround(rate / (2 * transition)));
  std::int64_t longest = 0;
  double keptMean = 0;
  for (int k = 0; k < kLanes; ++k) {
    const auto lane = static_cast<std::size_t>(k);
    const double u =
        static_cast<double>(mix64(d.seed * 100 + static_cast<std::uint64_t>(k)) >> 11) / 9007199254740992.0;
    // Springs of unlike lengths: spread over half an octave, those of one side between those of the other.
    const double length = d.loopSeconds * std::exp2(0.5 * (((k % 4) * 2 + k / 4) / 7.0 - 0.5) + 0.04 * (u - 0.5));
    coefficient_[lane] = static_cast<float>(0.62 + 0.05 * (u - 0.5));
    const double a = coefficient_[lane];
    const double chain = kSections * static_cast<double>(stretch_) * (1 - a) / (1 + a); // at low frequencies
    delay_[lane] = std::max<std::int64_t>(1, std::llround(length * rate - chain));
    longest = std::max(longest, delay_[lane]);
    block_ = std::min(block_, delay_[lane]);
    const double kept = d.held ? 1 : std::pow(10.0, -3 * length / d.decaySeconds);
    feedback_[lane] = static_cast<float>(-kept); // reflected upside down at the ends
    pole_[lane] = static_cast<float>(d.held ? 0 : 0.6 * d.damping);
    damp_[lane] = 0;
    keptMean += std::pow(10.0, -3 * length / d.decaySeconds) / kLanes;
  }
  std::int64_t power = 1;
  while (power * 2 <= block_) power *= 2;
  block_ = power;
  rings_.assign(kLanes, Ring(longest, block_));
  chain_.assign(static_cast<std::size_t>(kSections * stretch_ * kLanes), 0.0f);
  x_.resize(static_cast<std::size_t>(kBlock * kLanes));
  line_.resize(static_cast<std::size_t>((kBlock + stretch_) * kLanes));
  memory_ = longest + kSections * stretch_ * 5; // the chain's longest group delay
  const double w = 2 * std::numbers::pi * transition * 0.95 / rate;
  for (std::size_t i = 0; i < 2;
       ++i) { // R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"
    const double alpha = std::sin(w) / (2 * kLowQ[i]), c = std::cos(w), a0 = 1 + alpha;
    low_[i] = {(1 - c) / 2 / a0, (1 - c) / a0, (1 - c) / 2 / a0, -2 * c / a0, (1 - alpha) / a0};
  }
  // Four springs a side; what is over the transition frequency is lost, hence the factor.
  outGain_ = static_cast<float>(std::sqrt((1 - keptMean * keptMean) * rate / (2 * transition) / 4));
}

void SpringTank::process(StereoSpan io) {
  stored_ = 0;
  for (std::int64_t done = 0; done < io.frames;) {
    const std::int64_t n = std::min(io.frames - done, block_ - clock_ % block_);
    const StereoSpan part = io.part(done, n);
    rest_.comes(part);
    if (rest_.resting())
      clock_ += n;
    else
      step(part);
    done += n;
    if (clock_ % block_ == 0 && rest_.begins(block_, memory_)) clear();
  }
}

/// All that is stored.
void SpringTank::clear() {
  for (Ring& r : rings_) r.clear();
  std::fill(chain_.begin(), chain_.end(), 0.0f);
  lowState_.fill(0);
  damp_.fill(0);
}

void SpringTank::step(StereoSpan io) {
  const std::int64_t n = io.frames;
  float* const x = x_.data();
  for (int k = 0; k < kLanes; ++k) {
    const auto lane = static_cast<std::size_t>(k);
    const float* back = rings_[lane].at(clock_ - delay_[lane]);
    const float* own = k < kLanes / 2 ? io.left : io.right;
    const float* other = k < kLanes / 2 ? io.right : io.left;
    for (std::int64_t i = 0; i < n; ++i)
      x[i * kLanes + k] = 0.8f * own[i] + 0.2f * other[i] + feedback_[lane] * back[i];
  }
  for (int s = 0; s < kSections; ++s)
    disperse(x, chain_.data() + s * stretch_ * kLanes, line_.data(), coefficient_.data(), stretch_, n);
  for (std::size_t i = 0; i < 2; ++i) lowPass(x, lowState_.data() + i * 2 * kLanes, low_[i].data(), n);
  if (pole_[0] > 0)
    for (std::int64_t i = 0; i < n; ++i)
      for (std::size_t k = 0; k < kLanes; ++k) {
        float& v = x[i * kLanes + static_cast<std::int64_t>(k)];
        v = damp_[k] = (1 - pole_[k]) * v + pole_[k] * damp_[k];
      }
  float stored = 0;
  for (int k = 0; k < kLanes; ++k) {
    const auto lane = static_cast<std::size_t>(k);
    float* store = rings_[lane].place(clock_);
    for (std::int64_t i = 0; i < n; ++i) {
      store[i] = x[i * kLanes + k];
      stored = std::max(stored, std::abs(store[i]));
    }
    rings_[lane].written(clock_, n);
  }
  rest_.stores(stored);
  stored_ = std::max(stored_, stored);
  for (std::int64_t i = 0; i < n; ++i) {
    const float* v = x + i * kLanes;
    io.left[i] = outGain_ * ((v[0] - v[1]) + (v[2] - v[3]));
    io.right[i] = outGain_ * ((v[4] - v[5]) + (v[6] - v[7]));
  }
  clock_ += n;
}

} // namespace ivrin
