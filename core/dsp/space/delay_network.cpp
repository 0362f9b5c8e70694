#include "dsp/space/delay_network.h"

#include "audio/chance.h"
#include "audio/lanes.h"
#include "audio/simd.h"
#include "dsp/delay/moving_read.h"
#include "dsp/filter/shelf.h"

#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr int kMoves = 4;        // every fourth line moves: all modes live in all lines
constexpr float kInGain = 0.25f; // 16 lines of it: energy 1

/// How the sound goes in: a bent function of the line's four bits, so that each row of the Hadamard matrix has the same
/// share of it (O. S. Rothaus, "On 'bent' functions", 1976).
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
  return unitAt(seed * 1000 + i);
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

/// Eight taps into one side.
IVRIN_CLONES void addTaps(float* __restrict y, const float* const x[8], const float g[8], std::int64_t n) {
  const float *a = x[0], *b = x[1], *c = x[2], *d = x[3], *e = x[4], *f = x[5], *p = x[6], *q = x[7];
  for (std::int64_t i = 0; i < n; ++i)
    y[i] += ((g[0] * a[i] + g[1] * b[i]) + (g[2] * c[i] + g[3] * d[i])) +
            ((g[4] * e[i] + g[5] * f[i]) + (g[6] * p[i] + g[7] * q[i]));
}

IVRIN_CLONES void addScaled(float* __restrict y, const float* __restrict x, float g, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) y[i] += g * x[i];
}

} // namespace

DelayNetwork::DelayNetwork(const NetworkDesign& d, double rate) {
  const auto frames = [&](double seconds) { return nearestPrime(seconds * rate); };
  swing_ = d.swingSeconds * rate;
  const auto swing = static_cast<std::int64_t>(std::ceil(swing_)) + kMovingHalf + 2;
  std::int64_t shortest = kBlock, shortestMoving = kBlock;
  for (std::size_t k = 0; k < kNetworkLines; ++k) {
    shortest = std::min(shortest, frames(d.line[k]));
    if (k % kMoves == 0) shortestMoving = std::min(shortestMoving, frames(d.line[k]) - swing);
    if (d.inner[k] > 0) shortest = std::min(shortest, frames(d.inner[k]));
  }
  if (shortestMoving < 1) swing_ = 0; // too small a space to move in
  if (swing_ > 0) shortest = std::min(shortest, shortestMoving);
  while (block_ > std::max<std::int64_t>(shortest, 1)) block_ /= 2;

  const double decay = d.decay.seconds;
  // What an amplitude keeps over so many frames.
  const auto keeps = [&](double n) { return std::pow(10.0, -3.0 * n / (decay * rate)); };
  double mean = 0;
  std::vector<double> round, own;
  for (int i = 0; i < kNetworkLines; ++i) {
    const auto k = static_cast<std::size_t>(i);
    const auto n = static_cast<std::uint64_t>(i);
    const std::int64_t delay = frames(d.line[k]);
    const std::int64_t inner = d.inner[k] > 0 ? frames(d.inner[k]) : 0;
    round.push_back(static_cast<double>(delay + inner));
    // The allpass loses its own part (absorbent): no more than the slowest frequency may lose, so that no filter has to
    // give anything back.
    own.push_back(d.held ? 1 : std::pow(keeps(static_cast<double>(inner)), decay / d.decay.slowest()));
    mean += round.back() / kNetworkLines;
    Line line{delay, swing_ > 0 && i % kMoves == 0, 0, 0, 0, 0, 0, 0, Ring(delay + swing, block_, 2 * kMovingRun, i),
              {}};
    const double turn =
        2 * std::numbers::pi * (0.23 + 0.61 * uniform(d.seed, 200 + n)) * static_cast<double>(block_) / rate;
    const double phase = 2 * std::numbers::pi * uniform(d.seed, 300 + n);
    line.turnSine = std::sin(turn);
    line.turnCosine = std::cos(turn);
    line.sine = std::sin(phase);
    line.cosine = std::cos(phase);
    if (inner > 0)
      line.inner.push_back({inner, static_cast<float>(d.innerGain), static_cast<float>(own.back()),
                            Ring(inner, block_, 0, kNetworkLines + i)});
    memory_ = std::max(memory_, delay + swing + inner);
    lines_.push_back(std::move(line));
  }
  attenuation_ =
      d.held ? Attenuation::gains(std::vector<double>(kNetworkLines, 1.0)) : Attenuation(d.decay, round, own, rate);

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
  if (d.disperses) {
    dispersion_ = Dispersion::ofPlate(rate);
    memory_ += static_cast<std::int64_t>(0.1 * rate);
  }
  const FirstOrder shelf = highShelf(d.toneDb, bilinear(std::min(4000.0, 0.4 * rate), rate));
  tone_[0] = static_cast<float>(shelf.b0);
  tone_[1] = static_cast<float>(shelf.b1);
  tone_[2] = static_cast<float>(shelf.a1);

  // Heard at places spread over all the lines, each side at its own, so that the sound builds up evenly and the sides
  // have nothing in common.
  double heard = 0;
  for (std::size_t side = 0; side < 2; ++side)
    for (int j = 0; j < d.taps; ++j)
      for (int i = 0; i < kNetworkLines; ++i) {
        const auto n = static_cast<std::uint64_t>(i + kNetworkLines * j) + 1000 * side;
        const double within =
            ((i * 7 + 3 + static_cast<int>(side) * 8) % kNetworkLines + 0.9 * uniform(d.seed, 400 + n)) /
            kNetworkLines; // the lines' places differ from one another
        const double place = d.tapsFrom + (1 - d.tapsFrom) * (j + within) / d.taps;
        const auto at =
            static_cast<std::int64_t>(place * static_cast<double>(lines_[static_cast<std::size_t>(i)].delay));
        const double sign = (mix64(d.seed * 7717 + 50 + n) & 1) != 0 ? 1 : -1;
        const double kept = keeps(static_cast<double>(at));
        heard += kept * kept;
        heard_[side].push_back({static_cast<std::size_t>(i), at, static_cast<float>(sign * kept)});
      }
  // Energy of the response 1 per side: each line begins with kInGain², is heard with kept² and goes round with a loss
  // of keeps²(mean).
  const double out =
      std::sqrt((1 - keeps(2 * mean)) / (0.5 * heard * kInGain * kInGain) / (1 + d.earlyLevel * d.earlyLevel));
  for (auto& taps : heard_)
    for (Tap& t : taps) t.gain *= static_cast<float>(out);
  if (d.earlyLevel > 0) {
    std::int64_t longest = 1;
    for (std::size_t to = 0; to < 2; ++to) {
      double energy = 0;
      for (const auto& from : d.early)
        for (const auto& t : from[to]) energy += t.gain * t.gain;
      const double level = d.earlyLevel / std::sqrt(energy * (1 + d.earlyLevel * d.earlyLevel));
      for (std::size_t from = 0; from < 2; ++from)
        for (const auto& t : d.early[from][to]) {
          earlyHeard_[to].push_back({from, std::llround(t.seconds * rate), static_cast<float>(level * t.gain)});
          longest = std::max(longest, earlyHeard_[to].back().delay);
        }
    }
    early_.assign(2, Ring(longest, block_));
    memory_ = std::max(memory_, longest);
  }
  scratch_.resize(static_cast<std::size_t>(kNetworkLines * kBlock));
}

void DelayNetwork::trim(float left, float right) {
  for (auto* taps : {heard_, earlyHeard_})
    for (int side = 0; side < 2; ++side)
      for (Tap& t : taps[side]) t.gain *= side == 0 ? left : right;
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
  if (dispersion_) dispersion_->clear();
  attenuation_.clear();
  std::fill(std::begin(toneState_), std::end(toneState_), 0.0f);
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

template <typename RingOf>
void DelayNetwork::hear(const std::vector<Tap>& taps, RingOf ringOf, float* out, std::int64_t n) const {
  const auto at = [&](const Tap& t) { return ringOf(t.of).at(clock_ - t.delay); };
  std::size_t i = 0;
  for (; i + 8 <= taps.size(); i += 8) {
    const float* x[8];
    float g[8];
    for (std::size_t k = 0; k < 8; ++k) {
      x[k] = at(taps[i + k]);
      g[k] = taps[i + k].gain;
    }
    addTaps(out, x, g, n);
  }
  for (; i < taps.size(); ++i) addScaled(out, at(taps[i]), taps[i].gain, n);
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
  }
}

/// Both sides in turn, which hides what each waits for.
void DelayNetwork::tone(StereoSpan io) {
  float left = toneState_[0], right = toneState_[1];
  for (std::int64_t i = 0; i < io.frames; ++i) {
    const float l = io.left[i], r = io.right[i], yl = tone_[0] * l + left, yr = tone_[0] * r + right;
    left = tone_[1] * l - tone_[2] * yl;
    right = tone_[1] * r - tone_[2] * yr;
    io.left[i] = yl;
    io.right[i] = yr;
  }
  toneState_[0] = left;
  toneState_[1] = right;
}

void DelayNetwork::step(StereoSpan io) {
  const std::int64_t n = io.frames;
  if (clock_ % block_ == 0) swing();
  float* const side[2] = {io.left, io.right};
  if (tone_[1] != tone_[2]) tone(io);
  if (!early_.empty())
    for (int s = 0; s < 2; ++s) {
      std::copy_n(side[s], n, early_[static_cast<std::size_t>(s)].place(clock_));
      early_[static_cast<std::size_t>(s)].written(clock_, n);
    }
  if (dispersion_) dispersion_->process(io);
  for (int s = 0; s < 2; ++s)
    for (Allpass& a : diffusion_[s]) runAllpass(a, side[s], n);

  float* const y = scratch_.data();
  for (int i = 0; i < kNetworkLines; i += 8) {
    const float* in[8];
    for (int k = 0; k < 8; ++k) {
      const Line& line = lines_[static_cast<std::size_t>(i + k)];
      float* moved = y + (i + k) * kBlock;
      if (line.moves) readMoving(line.ring, clock_, block_, line.from, line.to, moved, n);
      in[k] = line.moves ? moved : line.ring.at(clock_ - line.delay);
    }
    attenuation_.run(i, y + i * kBlock, kBlock, in, n);
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
  for (int s = 0; s < 2; ++s) {
    hear(
        heard_[s], [this](std::size_t i) -> const Ring& { return lines_[i].ring; }, side[s], n);
    hear(
        earlyHeard_[s], [this](std::size_t i) -> const Ring& { return early_[i]; }, side[s], n);
  }
  clock_ += n;
}

} // namespace ivrin
