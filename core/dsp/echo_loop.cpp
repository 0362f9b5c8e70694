#include "dsp/echo_loop.h"

#include "dsp/delay_line.h"
#include "dsp/drive.h"
#include "dsp/svf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

struct EchoLoop::Body {
  Body(const EchoSettings& settings, double rate)
      : s(settings)
      , left(std::max(1.0, s.timeLeft), 0)
      , right(std::max(1.0, s.timeRight), 0)
      , block(std::min({left.block(), right.block(), DelayLine::kBlock}))
      , feed(block) {
    if (s.lowCutHz) lowCut = std::make_unique<StereoSvf>(StereoSvf::Pass::high, *s.lowCutHz, *s.lowCutHz, rate);
    if (s.highCutHz) highCut = std::make_unique<StereoSvf>(StereoSvf::Pass::low, *s.highCutHz, *s.highCutHz, rate);
    if (s.drive > 0) {
      driveLeft = std::make_unique<Drive>(s.drive, 1.0);
      driveRight = std::make_unique<Drive>(s.drive, 1.0);
    }
  }
  void step(StereoSpan io) {
    const std::int64_t n = io.frames;
    const StereoSpan w = feed.span().part(0, n);
    std::copy_n(io.left, n, w.left);
    std::copy_n(io.right, n, w.right);
    if (s.pattern == EchoPattern::pingPong)
      for (std::int64_t i = 0; i < n; ++i) {
        w.left[i] = 0.5f * (w.left[i] + w.right[i]);
        w.right[i] = 0;
      }
    left.read(clock, io.left, n);
    right.read(clock, io.right, n);
    if (lowCut) lowCut->process(io.left, io.right, n);
    if (highCut) highCut->process(io.left, io.right, n);
    if (driveLeft) {
      driveLeft->process(io.left, n);
      driveRight->process(io.right, n);
    }
    const bool swap = s.pattern != EchoPattern::straight;
    if (s.pattern == EchoPattern::cross) std::swap_ranges(w.left, w.left + n, w.right);
    const float *fromLeft = swap ? io.right : io.left, *fromRight = swap ? io.left : io.right;
    const auto g = static_cast<float>(s.feedback);
    for (std::int64_t i = 0; i < n; ++i) {
      w.left[i] += g * fromLeft[i];
      w.right[i] += g * fromRight[i];
      stored = std::max(stored, std::max(std::abs(w.left[i]), std::abs(w.right[i])));
    }
    left.write(clock, w.left, n);
    right.write(clock, w.right, n);
    clock += n;
  }
  EchoSettings s;
  DelayLine left, right;
  std::int64_t block, clock = 0;
  StereoBuffer feed;
  std::unique_ptr<StereoSvf> lowCut, highCut;
  std::unique_ptr<Drive> driveLeft, driveRight;
  float stored = 0;
};

EchoLoop::EchoLoop(const EchoSettings& settings, double sampleRate)
    : body_(std::make_unique<Body>(settings, sampleRate)) {}
EchoLoop::~EchoLoop() = default;
EchoLoop::EchoLoop(EchoLoop&&) noexcept = default;

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
  return static_cast<std::int64_t>(std::ceil(std::max(body_->s.timeLeft, body_->s.timeRight))) + DelayLine::kHalf + 1;
}

} // namespace ivrin
