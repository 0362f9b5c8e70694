#include "dsp/stretch.h"

#include <rubberband/RubberBandStretcher.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace ivrin {

using RubberBand::RubberBandStretcher;

namespace {

/// The engine chooses its windows by the rate and is at its best about 48 kHz: other rates are named to it by the power
/// of two that comes nearest, so that windows and delays are the same number of frames at every rate.
std::size_t engineRate(double rate) {
  while (rate <= 32768) rate *= 2;
  while (rate > 65536) rate /= 2;
  return static_cast<std::size_t>(std::llround(rate));
}

/// The engine lays an attack where its phases are set anew, which is a little early when time is stretched: measured
/// with clicks and bursts at 44.1 and 48 kHz (version 3.1.2), frames of its output, the same within ±90. Its first
/// window alone is exact: an attack on the origin is where it should be. So what follows is held back little by little.
double earlyBy(double timeRatio) {
  static constexpr double at[][2] = {{1, 0}, {1.25, 53}, {1.5, 127}, {2, 268}, {2.5, 405}, {3, 586}, {4, 944}};
  if (timeRatio <= 1) return 0;
  for (std::size_t i = 1; i < std::size(at); ++i)
    if (timeRatio <= at[i][0])
      return at[i - 1][1] + (timeRatio - at[i - 1][0]) / (at[i][0] - at[i - 1][0]) * (at[i][1] - at[i - 1][1]);
  return at[6][1] + (timeRatio - 4) * 400;
}

/// Source frames over which it is held back.
constexpr std::int64_t kHoldBackFrames = 3072;

/// Frames waiting inside the engine, before its resampler, and the ratios it is asked for to make up for them.
constexpr double kWaiting = 2048, kLeastRatio = 0.4, kMostRatio = 2.5;

/// Silence fed after which nothing sounds inside the engine any more, source frames: five times what it looks at.
constexpr std::int64_t kEmptyAfter = 65536;
/// It wakes so much before a sound: enough for an attack to be where it should be.
constexpr std::int64_t kWakesBefore = 8192;

} // namespace

struct Stretch::Engine {
  Engine(double sampleRate, double timeRatio, double pitchRatio, bool glides)
      : band(engineRate(sampleRate), 2,
             RubberBandStretcher::OptionProcessRealTime | RubberBandStretcher::OptionEngineFiner |
                 RubberBandStretcher::OptionChannelsTogether | RubberBandStretcher::OptionThreadingNever |
                 (glides ? RubberBandStretcher::OptionPitchHighConsistency
                         : RubberBandStretcher::OptionPitchHighSpeed), // without a glide its resampler may rest
             timeRatio, pitchRatio) {
    band.setMaxProcessSize(static_cast<std::size_t>(kBlock));
    drop = delay = static_cast<std::int64_t>(band.getStartDelay());
  }
  RubberBandStretcher band;
  StereoBuffer unwanted;
  std::int64_t first = 0;        // output frame that is its first one wanted
  std::int64_t drop = 0;         // output frames still to be thrown away
  std::int64_t delay = 0;        // all that were to be thrown away
  std::int64_t taken = 0;        // output frames taken from it
  std::int64_t holdBackFrom = 0; // source frame
  std::int64_t silent = 0;       // source frames of silence fed since the last sound
  double waiting = 1;            // sound waiting inside, in start delays of normal pitch
};

Stretch::Stretch(double sampleRate, double timeRatio, double pitchRatio, Feed feed)
    : rate_(sampleRate)
    , timeRatio_(timeRatio)
    , pitchRatio_(pitchRatio)
    , feed_(std::move(feed))
    , block_(kBlock) {
  begin(0);
}
Stretch::~Stretch() = default;
Stretch::Stretch(Stretch&&) noexcept = default;
Stretch& Stretch::operator=(Stretch&&) noexcept = default;

void Stretch::begin(std::int64_t origin) {
  engine_.reset();
  origin_ = origin;
  given_ = 0;
  next_ = origin - kAround;
}

/// The next output frame sounds what lies at `origin` and `late` output frames further.
void Stretch::wake(std::int64_t origin, std::int64_t late) {
  // A new engine: one that is reset does not give the same bits again.
  const double pitch = pitch_ ? pitch_(given_) : pitchRatio_;
  engine_ = std::make_unique<Engine>(rate_, timeRatio_, pitch, pitch_ != nullptr);
  const auto pad = static_cast<std::int64_t>(engine_->band.getPreferredStartPad());
  next_ = origin - pad;
  engine_->first = given_;
  engine_->drop = engine_->delay = engine_->delay + late;
  engine_->holdBackFrom = origin + pad;
  engine_->waiting = 1 / pitch;
}

/// As much silence as is certain, at most out.frames; none when it woke.
std::int64_t Stretch::rest(StereoSpan out) {
  for (;;) {
    const std::int64_t certain =
        static_cast<std::int64_t>(std::floor(static_cast<double>(next_ - kWakesBefore - origin_) * timeRatio_)) -
        given_;
    if (certain > 0) {
      const std::int64_t n = std::min(certain, out.frames);
      out.part(0, n).clear();
      return n;
    }
    feed_(next_, block_.span());
    if (!block_.span().isSilent()) {
      const double place = static_cast<double>(given_) / timeRatio_, whole = std::floor(place);
      wake(origin_ + static_cast<std::int64_t>(whole), std::llround((place - whole) * timeRatio_));
      return 0;
    }
    next_ += kBlock;
  }
}

void Stretch::follow(std::function<double(std::int64_t)> pitchRatio) {
  pitch_ = std::move(pitchRatio);
}

void Stretch::feedBlock() {
  Engine& e = *engine_;
  if (pitch_) {
    // Its resampler comes last: the pitch is that of the frames about to come out.
    const double pitch = pitch_(std::max(e.first, e.first + e.taken + e.band.available() - e.delay));
    e.band.setPitchScale(pitch);
    // What waits inside is read at the new pitch: it grows as the pitch falls. As much less is made meanwhile, or all
    // that follows would come late.
    const double grown = (1 / pitch - e.waiting) * kWaiting / kBlock;
    const double ratio = std::clamp(timeRatio_ - grown, kLeastRatio, kMostRatio);
    e.waiting += (timeRatio_ - ratio) * kBlock / kWaiting;
    e.band.setTimeRatio(ratio);
  }
  if (!pitch_ && timeRatio_ > 1) {
    const bool held = next_ >= e.holdBackFrom && next_ < e.holdBackFrom + kHoldBackFrames;
    e.band.setTimeRatio(timeRatio_ + (held ? earlyBy(timeRatio_) / kHoldBackFrames : 0));
  }
  feed_(next_, block_.span());
  e.silent = block_.span().isSilent() ? e.silent + kBlock : 0;
  const float* in[2] = {block_.left(), block_.right()};
  e.band.process(in, static_cast<std::size_t>(kBlock), false);
  next_ += kBlock;
}

void Stretch::render(StereoSpan out) {
  std::int64_t done = 0;
  while (done < out.frames) {
    if (!engine_) {
      const std::int64_t n = rest(out.part(done, out.frames - done));
      done += n;
      given_ += n;
      continue;
    }
    Engine& e = *engine_;
    const auto there = static_cast<std::int64_t>(std::max(0, e.band.available()));
    if (there == 0) {
      if (e.silent >= kEmptyAfter && e.drop == 0)
        engine_.reset();
      else
        feedBlock();
      continue;
    }
    const bool unwanted = e.drop > 0;
    const std::int64_t n = std::min(there, unwanted ? e.drop : out.frames - done);
    if (unwanted && e.unwanted.frames() < n) e.unwanted.resize(n);
    float* const to[2] = {unwanted ? e.unwanted.left() : out.left + done,
                          unwanted ? e.unwanted.right() : out.right + done};
    const auto got = static_cast<std::int64_t>(e.band.retrieve(to, static_cast<std::size_t>(n)));
    e.taken += got;
    if (unwanted) {
      e.drop -= got;
    } else {
      done += got;
      given_ += got;
    }
  }
}

} // namespace ivrin
