#include "dsp/delay/echo_loop.h"

#include "audio/simd.h"
#include "dsp/delay/delay_line.h"
#include "dsp/delay/wobble.h"
#include "dsp/filter/svf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kCeilingLookahead = 0.0015, kCeilingRelease = 0.08; // seconds

/// w += g·x; returns the largest magnitude of the sum.
IVRIN_CLONES float addFed(float* w, const float* x, float g, std::int64_t n) {
  float best[16] = {};
  std::int64_t i = 0;
  for (; i + 16 <= n; i += 16)
    for (int k = 0; k < 16; ++k) {
      const float v = w[i + k] + g * x[i + k], m = v < 0 ? -v : v;
      w[i + k] = v;
      best[k] = m > best[k] ? m : best[k];
    }
  for (; i < n; ++i) {
    w[i] += g * x[i];
    best[0] = std::max(best[0], std::abs(w[i]));
  }
  return *std::max_element(best, best + 16);
}

std::unique_ptr<StereoSvf> cut(StereoSvf::Pass pass, const CutOfSides& hz, double open, double rate) {
  if (!hz[0] && !hz[1]) return nullptr;
  return std::make_unique<StereoSvf>(pass, hz[0].value_or(open), hz[1].value_or(open), rate);
}

} // namespace

LookaheadLimiter ceilingOf(const EchoSettings& s, double rate) {
  const double shortest = std::min(s.timeLeft, s.timeRight);
  const auto ahead =
      std::min<std::int64_t>(std::llround(kCeilingLookahead * rate), static_cast<std::int64_t>(shortest / 4));
  return {ahead, *s.ceiling, kCeilingRelease * rate};
}

Drive driveOf(const EchoSettings& s, double rate) {
  const double shortest = std::min(s.timeLeft, s.timeRight);
  const auto half = std::min<int>(Drive::kHalf, static_cast<int>(shortest / 8));
  return {{s.drive, s.driveReference}, rate, half < 4 ? 0 : half};
}

void toMiddle(StereoSpan io) {
  for (std::int64_t i = 0; i < io.frames; ++i) {
    io.left[i] = 0.5f * (io.left[i] + io.right[i]);
    io.right[i] = 0;
  }
}

struct EchoLoop::Body {
  Body(const EchoSettings& settings, double sampleRate)
      : s(settings)
      , rate(sampleRate)
      , lowCut(cut(StereoSvf::Pass::high, s.lowCutHz, 20, rate))
      , highCut(cut(StereoSvf::Pass::low, s.highCutHz, 20000, rate)) {
    double taken = 0; // of the time by what lies in the loop
    if (s.ceiling) {
      limiter = std::make_unique<LookaheadLimiter>(ceilingOf(s, rate));
      taken += static_cast<double>(limiter->lookahead());
    }
    if (s.drive > 0) {
      const Drive drive = driveOf(s, rate);
      driveLeft = std::make_unique<Drive>(drive);
      driveRight = std::make_unique<Drive>(drive);
      taken += drive.latency();
    }
    const double least = taken > 0 ? 2 : 1, dl = std::max(least, s.timeLeft - taken),
                 dr = std::max(least, s.timeRight - taken);
    if (s.swing > 0) s.swing = std::min(s.swing, 0.25 * std::min(dl, dr));
    const double never = static_cast<double>(s.longest + 2 * DelayLine::kHalf) + s.swing + 1;
    left = std::make_unique<DelayLine>(std::min(dl, never), s.swing);
    right = std::make_unique<DelayLine>(std::min(dr, never), s.swing);
    if (s.swing > 0) {
      wobble.emplace(s.swing, s.flutter, s.flutterSeed, s.phase, rate);
      table = std::make_unique<SincTable>(static_cast<int>(std::min(left->half(), right->half())), 512);
    }
    block = std::min({left->block(), right->block(), DelayLine::kBlock});
    feed.resize(block);
    if (s.moving) gains.resize(block);
  }

  void step(StereoSpan io) {
    const std::int64_t n = io.frames;
    const StereoSpan w = feed.span().part(0, n);
    std::copy_n(io.left, n, w.left);
    std::copy_n(io.right, n, w.right);
    if (s.pattern == EchoPattern::pingPong) toMiddle(w);
    if (table) {
      for (std::int64_t i = 0; i < n; ++i) {
        io.left[i] = left->readMoving(clock + i, wobble->at(clock + i, 0), *table);
        io.right[i] = right->readMoving(clock + i, wobble->at(clock + i, 1), *table);
      }
    } else {
      left->read(clock, io.left, n);
      right->read(clock, io.right, n);
    }
    if (lowCut) lowCut->process(io.left, io.right, n);
    if (highCut) highCut->process(io.left, io.right, n);
    if (driveLeft) {
      driveLeft->process(io.left, n);
      driveRight->process(io.right, n);
    }
    if (limiter) limiter->process(io.left, io.right, n);
    const bool swap = s.pattern != EchoPattern::straight;
    if (s.pattern == EchoPattern::cross) std::swap_ranges(w.left, w.left + n, w.right);
    const float *fromLeft = swap ? io.right : io.left, *fromRight = swap ? io.left : io.right;
    if (s.moving) {
      s.moving(clock, gains.left(), gains.right(), n);
      for (std::int64_t i = 0; i < n; ++i) {
        w.left[i] += gains.left()[i] * fromLeft[i];
        w.right[i] += gains.right()[i] * fromRight[i];
        stored = std::max(stored, std::max(std::abs(w.left[i]), std::abs(w.right[i])));
      }
    } else {
      stored = std::max({stored, addFed(w.left, fromLeft, static_cast<float>(s.feedback[0]), n),
                         addFed(w.right, fromRight, static_cast<float>(s.feedback[1]), n)});
    }
    left->write(clock, w.left, n);
    right->write(clock, w.right, n);
    clock += n;
  }

  EchoSettings s;
  double rate;
  std::optional<Wobble> wobble;
  std::unique_ptr<StereoSvf> lowCut, highCut;
  std::unique_ptr<Drive> driveLeft, driveRight;
  std::unique_ptr<LookaheadLimiter> limiter;
  std::unique_ptr<DelayLine> left, right;
  std::unique_ptr<SincTable> table;
  std::int64_t block = 1, clock = 0;
  StereoBuffer feed, gains;
  float stored = 0;
};

EchoLoop::EchoLoop(const EchoSettings& settings, double sampleRate)
    : body_(std::make_unique<Body>(settings, sampleRate)) {}
EchoLoop::~EchoLoop() = default;
EchoLoop::EchoLoop(EchoLoop&&) noexcept = default;
EchoLoop& EchoLoop::operator=(EchoLoop&&) noexcept = default;

void EchoLoop::process(StereoSpan io) {
  body_->stored = 0;
  for (std::int64_t done = 0; done < io.frames;) {
    const std::int64_t n = std::min(io.frames - done, body_->block);
    body_->step(io.part(done, n));
    done += n;
  }
}

float EchoLoop::stored() const {
  return body_->stored;
}

std::int64_t EchoLoop::memoryFrames() const {
  return static_cast<std::int64_t>(std::ceil(std::max(body_->s.timeLeft, body_->s.timeRight) + body_->s.swing)) +
         DelayLine::kHalf + 1 + (body_->driveLeft ? body_->driveLeft->latency() : 0);
}

std::int64_t EchoLoop::block() const {
  return body_->block;
}

} // namespace ivrin
