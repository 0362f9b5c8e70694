#include "dsp/delay_network.h"

#include "audio/dither.h"
#include "audio/lanes.h"
#include "audio/simd.h"

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr float kInGain = 0.25f; // 16 lines of it: energy 1

/// Signs of how the lines are heard: bent functions of the line's four bits, so that each row of the Hadamard matrix
/// has the same share in both sides; the two are orthogonal (O. S. Rothaus, "On 'bent' functions", 1976).
float signLeft(int line) {
  const int a = line & 1, b = line >> 1 & 1, c = line >> 2 & 1, d = line >> 3 & 1;
  return ((a & b) ^ (c & d)) != 0 ? -1.0f : 1.0f;
}
float signRight(int line) {
  return (line >> 1 & 1) != 0 ? -signLeft(line) : signLeft(line);
}
/// Another one, orthogonal to both, for how the sound goes in.
float signIn(int line) {
  const int a = line & 1, b = line >> 1 & 1, c = line >> 2 & 1, d = line >> 3 & 1;
  return ((a & c) ^ (b & d) ^ d) != 0 ? -1.0f : 1.0f;
}

std::int64_t nearestPrime(double x) {
  const auto prime = [](std::int64_t n) {
    for (std::int64_t k = 2; k * k <= n; ++k)
      if (n % k == 0) return false;
    return n > 1;
  };
  const auto n = std::max<std::int64_t>(2, std::llround(x));
  for (std::int64_t k = 0;; ++k) {
    if (prime(n + k)) return n + k;
    if (n - k > 1 && prime(n - k)) return n - k;
  }
}

double uniform(std::uint64_t seed, std::uint64_t i) {
  return static_cast<double>(mix64(seed * 1000 + i) >> 11) / 9007199254740992.0;
}

/// y = γ^D·w[n−D]; w = x − g·y; out = g·w + y, in place.
IVRIN_CLONES void allpassBlock(float* __restrict x, const float* __restrict delayed, float* __restrict store, float g,
                               float loss, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    const float y = loss * delayed[i], w = x[i] - g * y;
    store[i] = w;
    x[i] = g * w + y;
  }
}

/// Two stages of the transform at once, on four rows.
IVRIN_CLONES void hadamard4(float* __restrict a, float* __restrict b, float* __restrict c, float* __restrict d,
                            std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    const float p = a[i] + b[i], q = a[i] - b[i], r = c[i] + d[i], t = c[i] - d[i];
    a[i] = p + r;
    b[i] = q + t;
    c[i] = p - r;
    d[i] = q - t;
  }
}

/// The other two stages, a quarter of it all, and what comes in: into the four lines. Returns the largest magnitude.
IVRIN_CLONES float mixInto(float* const store[4], const float* const row[4], const float* in, const float gain[4],
                           std::int64_t n) {
  Eight best{};
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8) {
    const Eight a = *reinterpret_cast<const EightInMemory*>(row[0] + i);
    const Eight b = *reinterpret_cast<const EightInMemory*>(row[1] + i);
    const Eight c = *reinterpret_cast<const EightInMemory*>(row[2] + i);
    const Eight d = *reinterpret_cast<const EightInMemory*>(row[3] + i);
    const Eight x = *reinterpret_cast<const EightInMemory*>(in + i);
    const Eight p = a + b, q = a - b, r = c + d, t = c - d;
    const Eight v[4] = {0.25f * (p + r) + gain[0] * x, 0.25f * (q + t) + gain[1] * x, 0.25f * (p - r) + gain[2] * x,
                        0.25f * (q - t) + gain[3] * x};
    for (int k = 0; k < 4; ++k) {
      *reinterpret_cast<EightInMemory*>(store[k] + i) = v[k];
      const Eight m = v[k] < 0 ? -v[k] : v[k];
      best = m > best ? m : best;
    }
  }
  float peak = 0;
  for (int k = 0; k < 8; ++k) peak = std::max(peak, best[k]);
  for (; i < n; ++i) {
    const float p = row[0][i] + row[1][i], q = row[0][i] - row[1][i], r = row[2][i] + row[3][i],
                t = row[2][i] - row[3][i];
    const float v[4] = {0.25f * (p + r) + gain[0] * in[i], 0.25f * (q + t) + gain[1] * in[i],
                        0.25f * (p - r) + gain[2] * in[i], 0.25f * (q - t) + gain[3] * in[i]};
    for (int k = 0; k < 4; ++k) {
      store[k][i] = v[k];
      peak = std::max(peak, std::abs(v[k]));
    }
  }
  return peak;
}

/// Four taps into both sides.
IVRIN_CLONES void addTaps(float* __restrict l, float* __restrict r, const float* const x[4], const float gl[4],
                          const float gr[4], std::int64_t n) {
  const float *a = x[0], *b = x[1], *c = x[2], *d = x[3];
  const float la = gl[0], lb = gl[1], lc = gl[2], ld = gl[3], ra = gr[0], rb = gr[1], rc = gr[2], rd = gr[3];
  for (std::int64_t i = 0; i < n; ++i) {
    l[i] += (la * a[i] + lb * b[i]) + (lc * c[i] + ld * d[i]);
    r[i] += (ra * a[i] + rb * b[i]) + (rc * c[i] + rd * d[i]);
  }
}

IVRIN_CLONES void addScaled(float* __restrict y, const float* __restrict x, float g, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) y[i] += g * x[i];
}

/// Third-order Lagrange interpolation at fraction f0 + (first + i)·step after x[i+1]; fractions lie in 0..1, where it
/// never amplifies (T. I. Laakso et al., "Splitting the unit delay", IEEE Signal Processing Magazine 13 (1996)).
IVRIN_CLONES void lagrangeBlock(float* __restrict out, const float* __restrict x, float f0, float step, int first,
                                int n) {
  for (int i = 0; i < n; ++i) {
    const float f = f0 + step * static_cast<float>(first + i), m = f - 1, p = f + 1, q = f - 2;
    const float fm = f * m, pq = p * q;
    out[i] = (1.0f / 6) * (p * fm * x[i + 3] - fm * q * x[i]) + 0.5f * (pq * m * x[i + 1] - f * pq * x[i + 2]);
  }
}

/// Rows become columns.
inline __attribute__((always_inline)) void transpose(Eight r[8]) {
  Eight t[8], u[8];
  for (int k = 0; k < 8; k += 2) {
    t[k] = __builtin_shufflevector(r[k], r[k + 1], 0, 8, 1, 9, 4, 12, 5, 13);
    t[k + 1] = __builtin_shufflevector(r[k], r[k + 1], 2, 10, 3, 11, 6, 14, 7, 15);
  }
  for (int k = 0; k < 8; k += 4)
    for (int j = 0; j < 2; ++j) {
      u[k + 2 * j] = __builtin_shufflevector(t[k + j], t[k + j + 2], 0, 1, 8, 9, 4, 5, 12, 13);
      u[k + 2 * j + 1] = __builtin_shufflevector(t[k + j], t[k + j + 2], 2, 3, 10, 11, 6, 7, 14, 15);
    }
  for (int k = 0; k < 4; ++k) {
    r[k] = __builtin_shufflevector(u[k], u[k + 4], 0, 1, 2, 3, 8, 9, 10, 11);
    r[k + 4] = __builtin_shufflevector(u[k], u[k + 4], 4, 5, 6, 7, 12, 13, 14, 15);
  }
}

/// Eight first-order recursions y = g·x + p·y', each row one of them.
IVRIN_CLONES void dampEight(float* rows, std::int64_t stride, const float* const in[8], const float* gain,
                            const float* pole, float* state, std::int64_t n) {
  const Eight g = *reinterpret_cast<const EightInMemory*>(gain), p = *reinterpret_cast<const EightInMemory*>(pole);
  Eight s = *reinterpret_cast<const EightInMemory*>(state);
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8) {
    Eight x[8];
    for (int k = 0; k < 8; ++k) x[k] = *reinterpret_cast<const EightInMemory*>(in[k] + i);
    transpose(x);
    for (int k = 0; k < 8; ++k) x[k] = s = g * x[k] + p * s;
    transpose(x);
    for (int k = 0; k < 8; ++k) *reinterpret_cast<EightInMemory*>(rows + k * stride + i) = x[k];
  }
  *reinterpret_cast<EightInMemory*>(state) = s;
  for (; i < n; ++i)
    for (int k = 0; k < 8; ++k) {
      state[k] = gain[k] * in[k][i] + pole[k] * state[k];
      rows[k * stride + i] = state[k];
    }
}

/// Pole of a one-pole low-pass, 1 at 0 Hz, whose magnitude at ω is r.
double poleFor(double r, double omega) {
  if (r >= 1 - 1e-9) return 0;
  const double a = 1 - r * r, b = 1 - r * r * std::cos(omega);
  return (b - std::sqrt(std::max(0.0, b * b - a * a))) / a;
}

} // namespace

DelayNetwork::DelayNetwork(const NetworkDesign& d, double rate) {
  const auto frames = [&](double seconds) { return nearestPrime(seconds * rate); };
  swing_ = d.swingSeconds * rate;
  const auto swing = static_cast<std::int64_t>(std::ceil(swing_));
  std::int64_t shortest = kBlock;
  for (int i = 0; i < kNetworkLines; ++i) {
    const auto k = static_cast<std::size_t>(i);
    shortest = std::min(shortest, frames(d.line[k]) - (swing_ > 0 ? swing + 4 : 0));
    if (d.inner[k] > 0) shortest = std::min(shortest, frames(d.inner[k]));
  }
  while (block_ > std::max<std::int64_t>(shortest, 1)) block_ /= 2;
  if (swing_ > 0 && shortest < 1) swing_ = 0; // too small a space to move in

  // What an amplitude keeps over so many frames.
  const auto kept = [&](double t60, double n) { return d.held ? 1.0 : std::pow(10.0, -3.0 * n / (t60 * rate)); };
  const bool damped = !d.held && d.dampedSeconds < d.decaySeconds * 0.999;
  double mean = 0;
  for (int i = 0; i < kNetworkLines; ++i) {
    const auto k = static_cast<std::size_t>(i);
    const std::int64_t delay = frames(d.line[k]);
    const std::int64_t inner = d.inner[k] > 0 ? frames(d.inner[k]) : 0;
    const auto whole = static_cast<double>(delay + inner);
    mean += whole / kNetworkLines;
    // The allpass loses its own part (absorbent); with damping, the line's filter answers for both.
    const double gain = kept(d.decaySeconds, static_cast<double>(delay));
    double pole = 0;
    if (damped) {
      const double omega = 2 * std::numbers::pi * std::min(d.dampedHz, 0.45 * rate) / rate;
      pole = poleFor(kept(d.dampedSeconds, whole) / kept(d.decaySeconds, whole), omega);
    }
    gain_[i] = static_cast<float>(gain * (1 - pole));
    pole_[i] = static_cast<float>(pole);
    Line line{delay, 0, swing_ > 0 && i % 2 == 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, Ring(delay + swing + 4, block_, 4, i), {}};
    // Heard at places spread over all lengths, so that the sound builds up at once and evenly.
    line.tap = static_cast<std::int64_t>(static_cast<double>(delay) * ((i * 7 + 3) % kNetworkLines) / kNetworkLines);
    const auto heard = static_cast<float>(kept(d.decaySeconds, static_cast<double>(line.tap)));
    outLeft_[i] = signLeft(i) * heard;
    outRight_[i] = signRight(i) * heard;
    const auto n = static_cast<std::uint64_t>(i);
    const double turn =
        2 * std::numbers::pi * (0.23 + 0.61 * uniform(d.seed, 200 + n)) * static_cast<double>(block_) / rate;
    const double phase = 2 * std::numbers::pi * uniform(d.seed, 300 + n);
    line.turnSine = std::sin(turn);
    line.turnCosine = std::cos(turn);
    line.sine = std::sin(phase);
    line.cosine = std::cos(phase);
    if (inner > 0)
      line.inner.push_back({inner, static_cast<float>(d.innerGain),
                            static_cast<float>(kept(d.decaySeconds, static_cast<double>(inner))),
                            Ring(inner, block_, 0, kNetworkLines + i)});
    memory_ = std::max(memory_, delay + swing + inner + 4);
    lines_.push_back(std::move(line));
  }
  std::int64_t diffusion = 0;
  for (int side = 0; side < 2; ++side)
    for (const double s : side == 0 ? d.diffusionLeft : d.diffusionRight) {
      const std::int64_t n = frames(s);
      diffusion += n;
      diffusion_[side].push_back(
          {n, static_cast<float>(d.diffusionGain), 1.0f,
           Ring(n, block_, 0, 2 * kNetworkLines + 2 * static_cast<int>(diffusion_[side].size()) + side)});
    }
  memory_ += 8 * diffusion; // until an allpass of 0.65 has fallen 60 dB

  // Energy of the response 1 per side: 16 lines of kInGain² each go round with a loss of kept²(mean).
  const double loop = std::pow(10.0, -6.0 * mean / (d.decaySeconds * rate));
  const auto out = static_cast<float>(std::sqrt(1 - loop) * (1 / std::sqrt(1 + d.early * d.early)));
  for (int i = 0; i < kNetworkLines; ++i) {
    outLeft_[i] *= out;
    outRight_[i] *= out;
  }
  if (d.early > 0) {
    std::int64_t longest = 1;
    for (int side = 0; side < 2; ++side) {
      double energy = 0;
      for (const auto& t : side == 0 ? d.earlyLeft : d.earlyRight) energy += t.gain * t.gain;
      for (const auto& t : side == 0 ? d.earlyLeft : d.earlyRight) {
        taps_[side].push_back({std::llround(t.seconds * rate), static_cast<float>(t.gain / std::sqrt(energy) * d.early /
                                                                                  std::sqrt(1 + d.early * d.early))});
        longest = std::max(longest, taps_[side].back().delay);
      }
    }
    early_.assign(2, Ring(longest, block_));
    memory_ = std::max(memory_, longest);
  }
  scratch_.resize(static_cast<std::size_t>(kNetworkLines * kBlock));
}

double DelayNetwork::decayAt(const NetworkDesign& d, double hz, double rate) {
  if (d.dampedSeconds >= d.decaySeconds * 0.999) return d.decaySeconds;
  double seconds = 0, db = 0;
  const double at = 2 * std::numbers::pi * std::min(d.dampedHz, 0.45 * rate) / rate;
  const double omega = 2 * std::numbers::pi * hz / rate;
  for (std::size_t i = 0; i < kNetworkLines; ++i) {
    const double whole = d.line[i] + d.inner[i];
    const double pole = poleFor(std::pow(10.0, -3 * whole * (1 / d.dampedSeconds - 1 / d.decaySeconds)), at);
    const double filter = (1 - pole) / std::sqrt(1 - 2 * pole * std::cos(omega) + pole * pole);
    seconds += whole;
    db += 60 * whole / d.decaySeconds - 20 * std::log10(filter);
  }
  return 60 * seconds / db;
}

void DelayNetwork::trim(float left, float right) {
  for (int i = 0; i < kNetworkLines; ++i) {
    outLeft_[i] *= left;
    outRight_[i] *= right;
  }
  for (Tap& t : taps_[0]) t.gain *= left;
  for (Tap& t : taps_[1]) t.gain *= right;
}

void DelayNetwork::process(StereoSpan io) {
  stored_ = 0;
  for (std::int64_t done = 0; done < io.frames;) {
    const std::int64_t n = std::min(io.frames - done, block_ - clock_ % block_);
    const StereoSpan part = io.part(done, n);
    rest_.comes(part);
    if (!rest_.resting()) {
      step(part);
    } else { // the movement alone goes on
      if (clock_ % block_ == 0) swing();
      clock_ += n;
    }
    done += n;
    if (clock_ % block_ == 0 && rest_.begins(block_, memory_)) clear();
  }
}

/// All that is stored.
void DelayNetwork::clear() {
  for (Line& line : lines_) {
    line.ring.clear();
    for (Allpass& a : line.inner) a.ring.clear();
  }
  for (auto& side : diffusion_)
    for (Allpass& a : side) a.ring.clear();
  for (Ring& r : early_) r.clear();
  std::fill(std::begin(damp_), std::end(damp_), 0.0f);
}

void DelayNetwork::runAllpass(Allpass& a, float* x, std::int64_t n) const {
  // One shorter than the block hears itself within it.
  for (std::int64_t i = 0; i < n;) {
    const std::int64_t run = std::min(a.delay, n - i), at = clock_ + i;
    allpassBlock(x + i, a.ring.at(at - a.delay), a.ring.place(at), a.gain, a.loss, run);
    a.ring.written(at, run);
    i += run;
  }
}

void DelayNetwork::readMoving(const Line& line, float* out, std::int64_t n) const {
  // Within a block the delay passes a whole number at most once; all is counted from the block's begin, so that the
  // sizes of the calls do not matter.
  const std::int64_t into = clock_ % block_;
  const double slope = (line.to - line.from) / static_cast<double>(block_);
  for (std::int64_t i = 0; i < n;) {
    const bool before = into + i < line.crossing;
    const std::int64_t run = before ? std::min(n - i, line.crossing - into - i) : n - i;
    const std::int64_t whole = before ? line.whole : line.wholeAfter;
    lagrangeBlock(out + i, line.ring.at(clock_ + i - whole - 2),
                  static_cast<float>(1 - (line.from - static_cast<double>(whole))), static_cast<float>(-slope),
                  static_cast<int>(into + i), static_cast<int>(run));
    i += run;
  }
}

/// The next block's end of the moving delays: the sines turn on by one block (a rotation; in double precision the
/// length keeps to a few parts in 10⁹ over hours).
void DelayNetwork::swing() {
  for (Line& line : lines_) {
    if (!line.moves) continue;
    line.from = static_cast<double>(line.delay) + swing_ * line.sine;
    const double c = line.cosine * line.turnCosine - line.sine * line.turnSine;
    line.sine = line.sine * line.turnCosine + line.cosine * line.turnSine;
    line.cosine = c;
    line.to = static_cast<double>(line.delay) + swing_ * line.sine;
    line.whole = static_cast<std::int64_t>(std::floor(line.from));
    line.wholeAfter = static_cast<std::int64_t>(std::floor(line.to));
    line.crossing = block_;
    if (line.whole != line.wholeAfter) {
      const auto bound = static_cast<double>(std::max(line.whole, line.wholeAfter));
      const double share = (bound - line.from) / (line.to - line.from);
      line.crossing = std::llround(share * static_cast<double>(block_));
    }
  }
}

void DelayNetwork::step(StereoSpan io) {
  const std::int64_t n = io.frames;
  if (clock_ % block_ == 0) swing();
  float* const side[2] = {io.left, io.right};
  if (!early_.empty())
    for (int s = 0; s < 2; ++s) {
      std::copy_n(side[s], n, early_[static_cast<std::size_t>(s)].place(clock_));
      early_[static_cast<std::size_t>(s)].written(clock_, n);
    }
  for (int s = 0; s < 2; ++s)
    for (Allpass& a : diffusion_[s]) runAllpass(a, side[s], n);

  float* const y = scratch_.data();
  for (int i = 0; i < kNetworkLines; i += 8) {
    const float* in[8];
    for (int k = 0; k < 8; ++k) {
      const Line& line = lines_[static_cast<std::size_t>(i + k)];
      float* moved = y + (i + k) * kBlock;
      if (line.moves) readMoving(line, moved, n);
      in[k] = line.moves ? moved : line.ring.at(clock_ - line.delay);
    }
    dampEight(y + i * kBlock, kBlock, in, gain_ + i, pole_ + i, damp_ + i, n);
  }
  for (int i = 0; i < kNetworkLines; ++i)
    for (Allpass& a : lines_[static_cast<std::size_t>(i)].inner) runAllpass(a, y + i * kBlock, n);
  for (int i = 0; i < kNetworkLines; i += 4)
    hadamard4(y + i * kBlock, y + (i + 1) * kBlock, y + (i + 2) * kBlock, y + (i + 3) * kBlock, n);
  float stored = 0;
  for (int i = 0; i < 4; ++i) {
    float* store[4];
    const float* row[4];
    float gain[4];
    for (int k = 0; k < 4; ++k) {
      const int line = i + 4 * k;
      store[k] = lines_[static_cast<std::size_t>(line)].ring.place(clock_);
      row[k] = y + line * kBlock;
      gain[k] = kInGain * signIn(line);
    }
    stored = std::max(stored, mixInto(store, row, side[i & 1], gain, n));
    for (int k = 0; k < 4; ++k) lines_[static_cast<std::size_t>(i + 4 * k)].ring.written(clock_, n);
  }

  rest_.stores(stored);
  stored_ = std::max(stored_, stored);

  io.clear();
  for (int i = 0; i < kNetworkLines; i += 4) {
    const float* tap[4];
    for (int k = 0; k < 4; ++k) {
      const Line& line = lines_[static_cast<std::size_t>(i + k)];
      tap[k] = line.ring.at(clock_ - line.tap);
    }
    addTaps(io.left, io.right, tap, outLeft_ + i, outRight_ + i, n);
  }
  for (std::size_t s = 0; s < early_.size(); ++s)
    for (const Tap& t : taps_[s]) addScaled(side[s], early_[s].at(clock_ - t.delay), t.gain, n);
  clock_ += n;
}

} // namespace ivrin
