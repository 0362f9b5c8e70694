#include "dsp/space/spring_tank.h"

#include "audio/chance.h"
#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/delay/moving_read.h"

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kTransitionHz = 4300;
constexpr float kFaint = 0.0188364909f; // of the fast path: −34.5 dB
constexpr double kFasterBy = 2.3;
constexpr double kTrembleSeconds = 0.29;             // between two of its turns
constexpr double kLowQ[2] = {0.54119610, 1.3065630}; // Butterworth of order four

/// Four stretched allpasses (a + z^−K)/(1 + a·z^−K) in series, on four springs; `state` holds the last K inner values
/// of each, `line` is scratch for four times K + n.
IVRIN_CLONES void disperse(float* x, float* state, float* line, const float* coefficients, std::int64_t stretch,
                           std::int64_t n) {
  const Four a = *reinterpret_cast<const FourInMemory*>(coefficients);
  FourInMemory* s = reinterpret_cast<FourInMemory*>(state);
  FourInMemory* w = reinterpret_cast<FourInMemory*>(line);
  FourInMemory* y = reinterpret_cast<FourInMemory*>(x);
  const std::int64_t apart = stretch + n;
  for (std::int64_t m = 0; m < 4; ++m)
    for (std::int64_t k = 0; k < stretch; ++k) w[m * apart + k] = s[m * stretch + k];
  for (std::int64_t i = 0; i < n; ++i) {
    Four t = y[i];
    for (std::int64_t m = 0; m < 4; ++m) {
      const Four v = w[m * apart + i], now = t - a * v;
      w[m * apart + stretch + i] = now;
      t = a * now + v;
    }
    y[i] = t;
  }
  for (std::int64_t m = 0; m < 4; ++m)
    for (std::int64_t k = 0; k < stretch; ++k) s[m * stretch + k] = w[m * apart + n + k];
}

IVRIN_CLONES void lowPass(float* x, float* state, const double* c, std::int64_t n) {
  const auto b0 = static_cast<float>(c[0]), b1 = static_cast<float>(c[1]), b2 = static_cast<float>(c[2]),
             a1 = static_cast<float>(c[3]), a2 = static_cast<float>(c[4]);
  FourInMemory* s = reinterpret_cast<FourInMemory*>(state);
  FourInMemory* y = reinterpret_cast<FourInMemory*>(x);
  Four s0 = s[0], s1 = s[1];
  for (std::int64_t i = 0; i < n; ++i) {
    const Four v = y[i], out = b0 * v + s0;
    s0 = b1 * v - a1 * out + s1;
    s1 = b2 * v - a2 * out;
    y[i] = out;
  }
  s[0] = s0;
  s[1] = s1;
}

} // namespace

SpringTank::SpringTank(const SpringDesign& d, double rate)
    : rate_(rate)
    , seed_(d.seed)
    , swing_(d.swingSeconds * rate) {
  const double transition = std::min(kTransitionHz, 0.4 * rate);
  stretch_ = std::max<std::int64_t>(1, std::llround(rate / (2 * transition)));
  std::int64_t longest = 0, shortest = kBlock;
  const auto swing = static_cast<std::int64_t>(std::ceil(swing_)) + kMovingHalf + 2;
  double keptMean = 0;
  for (int k = 0; k < kSprings; ++k) {
    const auto spring = static_cast<std::size_t>(k);
    const double u = unitAt(d.seed * 100 + static_cast<std::uint64_t>(k));
    // Springs of unlike lengths, spread over half an octave.
    const double length = d.loopSeconds * std::exp2(0.5 * (k / 3.0 - 0.5) + 0.04 * (u - 0.5));
    coefficient_[spring] = static_cast<float>(0.62 + 0.05 * (u - 0.5));
    const double a = coefficient_[spring];
    const double chain = kSections * static_cast<double>(stretch_) * (1 - a) / (1 + a); // at low frequencies
    delay_[spring] = std::max<std::int64_t>(1, std::llround(length * rate - chain));
    longest = std::max(longest, delay_[spring]);
    shortest = std::min(shortest, delay_[spring]);
    const double kept = d.held ? 1 : std::pow(10.0, -3 * length / d.decaySeconds);
    feedback_[spring] = static_cast<float>(-kept); // reflected upside down at the ends
    pole_[spring] = static_cast<float>(d.held ? 0 : 0.6 * d.damping);
    keptMean += std::pow(10.0, -3 * length / d.decaySeconds) / kSprings;
  }
  if (*std::min_element(delay_.begin(), delay_.end()) - swing < 1) swing_ = 0; // no room to tremble
  if (swing_ > 0)
    for (const std::int64_t n : delay_) shortest = std::min(shortest, n - swing);
  for (std::size_t s = 0; s < 2; ++s) {
    Fast& f = fast_[s];
    const double length = d.loopSeconds * (s == 0 ? 0.97 : 1.04) / kFasterBy;
    f.delay = std::max<std::int64_t>(1, std::llround(length * rate - dispersion_.delayAt(1000, rate)));
    f.feedback = static_cast<float>(d.held ? -1 : -std::pow(10.0, -3 * length / d.decaySeconds));
    shortest = std::min(shortest, f.delay);
    longest = std::max(longest, f.delay);
  }
  while (block_ > std::max<std::int64_t>(shortest, 1)) block_ /= 2;
  for (int k = 0; k < kSprings; ++k) rings_.emplace_back(longest + swing, block_, 2 * kMovingRun, k);
  for (std::size_t s = 0; s < 2; ++s) {
    fast_[s].ring = Ring(longest, block_, 0, kSprings + static_cast<int>(s));
    fast_[s].out.resize(static_cast<std::size_t>(kBlock));
  }
  chain_.assign(static_cast<std::size_t>(kSections * stretch_ * kSprings), 0.0f);
  x_.resize(static_cast<std::size_t>(kBlock * kSprings));
  moved_.resize(static_cast<std::size_t>(kBlock));
  line_.resize(static_cast<std::size_t>(4 * (kBlock + stretch_) * kSprings));
  memory_ = longest + swing + kSections * stretch_ * 5; // the chain's longest group delay
  const double w = 2 * std::numbers::pi * transition * 0.95 / rate;
  for (std::size_t i = 0; i < 2;
       ++i) { // R. Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"
    const double alpha = std::sin(w) / (2 * kLowQ[i]), c = std::cos(w), a0 = 1 + alpha;
    low_[i] = {(1 - c) / 2 / a0, (1 - c) / a0, (1 - c) / 2 / a0, -2 * c / a0, (1 - alpha) / a0};
  }
  // What is over the transition frequency is lost, hence the factor.
  outGain_ = static_cast<float>(std::sqrt((1 - keptMean * keptMean) * rate / (2 * transition) / kSprings));
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
  for (Fast& f : fast_) {
    f.ring.clear();
  }
  dispersion_.clear();
}

/// −1..1 at the beginning of a block: random turns joined by a cubic (E. Catmull and R. Rom 1974), so that it can be
/// had at any place.
double SpringTank::trembling(int spring, std::int64_t block) const {
  const double at = static_cast<double>(block * block_) / (kTrembleSeconds * rate_);
  const auto turn = static_cast<std::int64_t>(std::floor(at));
  const double u = at - static_cast<double>(turn);
  const auto value = [&](std::int64_t i) {
    const auto n = static_cast<std::uint64_t>(turn + i + 8) * 16 + static_cast<std::uint64_t>(spring);
    return signedUnitAt(seed_ * 977 + n);
  };
  const double a = value(-1), b = value(0), c = value(1), e = value(2);
  return b + 0.5 * u * (c - a + u * (2 * a - 5 * b + 4 * c - e + u * (3 * (b - c) + e - a)));
}

void SpringTank::tremble() {
  const std::int64_t block = clock_ / block_;
  for (int k = 0; k < kSprings; ++k) {
    const auto spring = static_cast<std::size_t>(k);
    // 1.25: as far as the cubic may go beyond its turns.
    from_[spring] = static_cast<double>(delay_[spring]) + swing_ / 1.25 * trembling(k, block);
    to_[spring] = static_cast<double>(delay_[spring]) + swing_ / 1.25 * trembling(k, block + 1);
  }
}

/// The springs below the transition frequency: into x_, frame by frame.
void SpringTank::slow(StereoSpan in, float* x, std::int64_t n) {
  for (int k = 0; k < kSprings; ++k) {
    const auto spring = static_cast<std::size_t>(k);
    const float* back = rings_[spring].at(clock_ - delay_[spring]);
    if (swing_ > 0) {
      readMoving(rings_[spring], clock_, block_, from_[spring], to_[spring], moved_.data(), n);
      back = moved_.data();
    }
    const float left = k < kSprings / 2 ? 0.57f : 0.43f, right = 1 - left;
    for (std::int64_t i = 0; i < n; ++i)
      x[i * kSprings + k] = left * in.left[i] + right * in.right[i] + feedback_[spring] * back[i];
  }
  for (int s = 0; s < kSections; s += 4)
    disperse(x, chain_.data() + s * stretch_ * kSprings, line_.data(), coefficient_.data(), stretch_, n);
  for (std::size_t i = 0; i < 2; ++i) lowPass(x, lowState_.data() + i * 2 * kSprings, low_[i].data(), n);
  if (pole_[0] > 0)
    for (std::int64_t i = 0; i < n; ++i)
      for (std::size_t k = 0; k < kSprings; ++k) {
        float& v = x[i * kSprings + static_cast<std::int64_t>(k)];
        v = damp_[k] = (1 - pole_[k]) * v + pole_[k] * damp_[k];
      }
  float stored = 0;
  for (int k = 0; k < kSprings; ++k) {
    const auto spring = static_cast<std::size_t>(k);
    float* store = rings_[spring].place(clock_);
    for (std::int64_t i = 0; i < n; ++i) {
      store[i] = x[i * kSprings + k];
      stored = std::max(stored, std::abs(store[i]));
    }
    rings_[spring].written(clock_, n);
  }
  rest_.stores(stored);
  stored_ = std::max(stored_, stored);
}

/// The faint fast path over all frequencies; each side has its own, fed by both.
void SpringTank::fast(StereoSpan in, StereoSpan out) {
  float* const x[2] = {out.left, out.right};
  for (std::size_t s = 0; s < 2; ++s) {
    const float* back = fast_[s].ring.at(clock_ - fast_[s].delay);
    for (std::int64_t i = 0; i < in.frames; ++i)
      x[s][i] = 0.5f * (in.left[i] + in.right[i]) + fast_[s].feedback * back[i];
  }
  dispersion_.process(out);
  for (std::size_t s = 0; s < 2; ++s) {
    std::copy_n(x[s], in.frames, fast_[s].ring.place(clock_));
    fast_[s].ring.written(clock_, in.frames);
  }
}

void SpringTank::step(StereoSpan io) {
  if (clock_ % block_ == 0 && swing_ > 0) tremble();
  const std::int64_t n = io.frames;
  const StereoSpan quick{fast_[0].out.data(), fast_[1].out.data(), n};
  fast(io, quick);
  float* const x = x_.data();
  slow(io, x, n);
  for (std::int64_t i = 0; i < n; ++i) {
    const float* v = x + i * kSprings;
    io.left[i] = outGain_ * ((v[0] - v[1]) + (v[2] - v[3]) + kFaint * quick.left[i]);
    io.right[i] = outGain_ * ((v[0] + v[1]) - (v[2] + v[3]) + kFaint * quick.right[i]);
  }
  clock_ += n;
}

} // namespace ivrin
