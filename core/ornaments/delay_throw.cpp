#include "ornaments/delay_throw.h"

#include "audio/chance.h"
#include "audio/simd.h"
#include "dsp/delay/delay_line.h"
#include "dsp/delay/echo_loop.h"
#include "dsp/delay/stepped_echoes.h"
#include "dsp/filter/svf.h"
#include "dsp/measure/spectrum.h"
#include "finish/control_ramp.h"
#include "finish/ducking.h"
#include "ornaments/delay_throw_settings.h"
#include "ornaments/source.h"
#include "ornaments/tail.h"
#include "song/scale.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kWobbleSeconds = 0.004; // drift at 100 %, each way
constexpr double kMostShift =
    24; // semitones that passes are shifted by in all; beyond them they stay in the octave ...
constexpr double kShiftGrid =
    0.5; // ... on quarter tones, so that a long tail takes up shifted sounds it has made before
constexpr double kNoteWindowSeconds = 0.17;
constexpr double kNoteSeconds = 10;        // of the source in which its note is looked for
constexpr double kShiftedSeconds = 0.3;    // what is shifted may last longer
constexpr double kFlutterSeconds = 2.4e-5; // RMS at 100 %: with some 8.7 Hz the pitch flutters by 0.13 % RMS

/// Width and levels: out = gain·(mid·own + side·other), both sides at once.
IVRIN_CLONES void widenAndScale(float* l, float* r, float mid, float side, float gainLeft, float gainRight,
                                std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    const float a = l[i], b = r[i];
    l[i] = gainLeft * (mid * a + side * b);
    r[i] = gainRight * (mid * b + side * a);
  }
}

std::optional<Frames> cutFrame(const Placed& p, const DelayThrowSettings& s) {
  if (!s.cutAt) return std::nullopt;
  return p.map.frameAt(p.ornament.start + Beats::ofQuarters(*s.cutAt));
}

/// Largest gain of the loop's filters over frequency, both sides (product where a pass alternates), amplitude.
double filterPeak(const DelayThrowSettings& s, double rate, int side) {
  const StereoSvf low(StereoSvf::Pass::high, s.lowCutLeft.value_or(20), s.lowCutRight.value_or(20), rate);
  const StereoSvf high(StereoSvf::Pass::low, s.highCutLeft.value_or(20000), s.highCutRight.value_or(20000), rate);
  const bool hasLow = s.lowCutLeft || s.lowCutRight, hasHigh = s.highCutLeft || s.highCutRight;
  if (!hasLow && !hasHigh) return 1;
  double best = 0;
  for (double hz = 10; hz < rate * 0.4999; hz *= 1.01)
    best = std::max(best, (hasLow ? low.magnitude(side, hz) : 1) * (hasHigh ? high.magnitude(side, hz) : 1));
  return best;
}

/// How long a print can be at most, in frames from its begin: where the echoes of the loudest source there is (+12
/// dBFS) have fallen 6 dB under the floor. Prints that come later on the row depend on this, so it should not be far
/// off.
std::int64_t longestPrint(const Placed& p, const DelayThrowSettings& s, std::int64_t sourceFrames) {
  const double rate = p.sampleRate();
  const std::int64_t most = sourceFrames + std::llround(kLongestTailSeconds * rate);
  if (const auto cut = cutFrame(p, s)) return std::clamp<std::int64_t>((*cut - p.span().begin).count, 0, most);
  const double hl = filterPeak(s, rate, 0), hr = filterPeak(s, rate, 1);
  const bool alternates = s.pattern != EchoPattern::straight;
  const double time = alternates ? 0.5 * (s.timeLeft + s.timeRight) : std::max(s.timeLeft, s.timeRight);
  const double swing = s.wobble * kWobbleSeconds * rate;
  const auto pass = [&](double beat) {
    const double l = s.feedbackLeft.at(beat) * hl, r = s.feedbackRight.at(beat) * hr;
    return alternates ? std::sqrt(l * r) : std::max(l, r);
  };
  const double beatsPerFrame = p.map.bpmAt(p.ornament.start) / 60 / rate;
  const double out = s.wetDb + std::max(s.levelLeftDb, s.levelRightDb) + Decibels::ofGain(std::max(1.0, s.width)).value;
  double level = 12, at = static_cast<double>(sourceFrames) + time;
  // What is stored counts as well as what is heard.
  while (level + std::max(out, 0.0) > s.tailFloorDb - 6 && at < static_cast<double>(most)) {
    const double beat = at * beatsPerFrame;
    level = std::min(level + Decibels::ofGain(std::max(pass(beat - time * beatsPerFrame), pass(beat))).value, 24.0);
    at += time + swing;
  }
  if (s.stepSemitones != 0) at += kShiftedSeconds * rate;
  at += std::max(s.timeLeft, s.timeRight) + swing + kQuietSeconds * rate + 2 * kPrintBlock + DelayLine::kHalf;
  return std::min(most, static_cast<std::int64_t>(std::ceil(at)));
}

class DelayThrowVoice : public Voice {
 public:
  DelayThrowVoice(const Placed& p, Sounds& sounds)
      : s_(DelayThrowSettings::of(p))
      , sounds_(sounds)
      , source_(p)
      , rate_(p.sampleRate())
      , first_(p.span().begin)
      , feedbackLeft_(s_.feedbackLeft, p.map, p.ornament.start, first_)
      , feedbackRight_(s_.feedbackRight, p.map, p.ornament.start, first_)
      , send_(s_.send, p.map, p.ornament.start, first_)
      , end_(longestPrint(p, s_, source_.frames()), s_.cutAt.has_value(), s_.tailFloorDb, rate_) {
    const SourceLevel level = measureSource(source_.frames(), [this](std::int64_t at, StereoSpan out) {
      readSent(at, out);
      if (s_.pattern == EchoPattern::pingPong) toMiddle(out);
    });
    peak_ = level.peak;
    if (peak_ == 0) return;
    if (s_.stepSemitones != 0)
      stepped_ = std::make_unique<SteppedEchoes>(
          loopSettings(p), rate_, [this](std::int64_t from, StereoSpan out) { readSent(from, out); }, source_.frames(),
          steps(p));
    else
      loop_ = std::make_unique<EchoLoop>(loopSettings(p), rate_);
    if (s_.duckDb > 0)
      ducking_ =
          std::make_unique<Ducking>(s_.duckDb, level.rmsDb, rate_, first_, keyOf(sounds_, source_.reads().size()));
    const double wet = Decibels(s_.wetDb).gain();
    gainLeft_ = static_cast<float>(wet * Decibels(s_.levelLeftDb).gain());
    gainRight_ = static_cast<float>(wet * Decibels(s_.levelRightDb).gain() * (s_.invertRight ? -1 : 1));
  }

  std::int64_t render(StereoSpan out) override {
    if (peak_ == 0) return 0;
    std::int64_t done = 0;
    while (done < out.frames && clock_ < end_.limit()) {
      // A step of the loop at a time, so that its end does not depend on how it is asked for.
      const std::int64_t block = loop_ ? loop_->block() : kPrintBlock;
      const std::int64_t n = std::min({out.frames - done, block, kPrintBlock, end_.limit() - clock_});
      step(out.part(done, n));
      done += n;
    }
    finishBlock(out.part(0, done), clock_ - done);
    // All that is stored was written within that time.
    end_.over(clock_, lastLoud_ + (loop_ ? loop_->memoryFrames() : stepped_->memoryFrames()));
    return done;
  }

  std::string note() const override { return end_.note(); }

 private:
  /// What is sent at `offset` frames after the start.
  void readSent(std::int64_t offset, StereoSpan out) {
    const std::int64_t total = source_.frames();
    if (s_.reverseSource) {
      const std::int64_t n = std::clamp<std::int64_t>(total - offset, 0, out.frames);
      out.clear();
      if (n > 0) {
        source_.read(sounds_, total - offset - n, out.part(0, n), scratch_);
        out.part(0, n).reverse();
      }
    } else {
      source_.read(sounds_, offset, out, scratch_);
    }
    for (std::int64_t i = 0; i < out.frames && offset + i < total; ++i) {
      const float g = send_.at(offset + i);
      out.left[i] *= g;
      out.right[i] *= g;
    }
  }
  /// As it goes into a loop that passes from side to side.
  EchoSettings loopSettings(const Placed& p) {
    EchoSettings e;
    e.longest = end_.limit();
    e.timeLeft = s_.timeLeft;
    e.timeRight = s_.timeRight;
    e.pattern = s_.pattern;
    e.feedback = {s_.feedbackLeft.at(0), s_.feedbackRight.at(0)};
    if (!feedbackLeft_.constant() || !feedbackRight_.constant())
      e.moving = [this](std::int64_t at, float* left, float* right, std::int64_t n) {
        for (std::int64_t i = 0; i < n; ++i) {
          left[i] = feedbackLeft_.at(at + i);
          right[i] = feedbackRight_.at(at + i);
        }
      };
    e.drive = s_.drive;
    e.driveReference = peak_;
    e.lowCutHz = {s_.lowCutLeft, s_.lowCutRight};
    e.highCutHz = {s_.highCutLeft, s_.highCutRight};
    e.swing = s_.wobble * kWobbleSeconds * rate_;
    for (std::size_t i = 0; i < e.phase.size(); ++i) // wobble's phases come from the seed
      e.phase[i] = 2 * std::numbers::pi * unitAt(static_cast<std::uint64_t>(p.ornament.seed) * 4 + i);
    e.flutter = s_.wobble * kFlutterSeconds * rate_;
    e.flutterSeed = static_cast<std::uint64_t>(p.ornament.seed);
    e.ceiling = peak_ * Decibels(s_.loopCeilingDb).gain();
    return e;
  }

  /// What each pass is shifted by, in semitones: where the key is followed, to the nearest of its notes from the one
  /// that the source sounds most.
  std::function<double(int)> steps(const Placed& p) {
    std::optional<int> note;
    const std::optional<Key> key = s_.keyFollow ? p.context.key : std::nullopt;
    if (key) {
      const std::int64_t heard = std::min<std::int64_t>(source_.frames(), std::llround(kNoteSeconds * rate_));
      note = strongestNote(meanSpectrum(rate_, {Frames(0), Frames(heard)}, kNoteWindowSeconds,
                                        [this](Frames from, StereoSpan out) { readSent(from.count, out); }));
    }
    return [step = s_.stepSemitones, key, note](int pass) {
      double shift = pass * step;
      if (note) shift = nearestInKey(*note + shift, *key) - *note;
      if (std::abs(shift) <= kMostShift) return shift;
      while (shift > kMostShift) shift -= 12;
      while (shift < -kMostShift) shift += 12;
      return std::round(shift / kShiftGrid) * kShiftGrid;
    };
  }

  void step(StereoSpan out) {
    if (stepped_) {
      stepped_->render(out);
    } else {
      if (clock_ < source_.frames())
        readSent(clock_, out);
      else
        out.clear();
      loop_->process(out);
    }
    clock_ += out.frames;
    const float stored = loop_ ? loop_->stored() : stepped_->stored();
    if (stored >= end_.floor() || clock_ < source_.frames()) lastLoud_ = clock_;
  }

  /// Width, levels, ducking and the tail's end.
  void finishBlock(StereoSpan out, std::int64_t offset) {
    const auto mid = static_cast<float>(0.5 * (1 + s_.width)), side = static_cast<float>(0.5 * (1 - s_.width));
    const bool wide = s_.width != 1;
    if (wide || gainLeft_ != 1 || gainRight_ != 1)
      widenAndScale(out.left, out.right, mid, side, gainLeft_, gainRight_, out.frames);
    if (ducking_) ducking_->apply(out);
    end_.apply(out, offset);
  }

  DelayThrowSettings s_;
  Sounds& sounds_;
  Source source_;
  double rate_;
  Frames first_;
  ControlRamp feedbackLeft_, feedbackRight_, send_;
  TailEnd end_;
  StereoBuffer scratch_;
  double peak_ = 0;
  std::unique_ptr<EchoLoop> loop_;         // one of the two
  std::unique_ptr<SteppedEchoes> stepped_; // where each pass is at another pitch
  std::unique_ptr<Ducking> ducking_;
  float gainLeft_ = 1, gainRight_ = 1;
  std::int64_t clock_ = 0, lastLoud_ = 0;
};

} // namespace

const TableSpec& DelayThrow::table() const {
  return DelayThrowSettings::table();
}

PrintPlan DelayThrow::plan(const Placed& p) const {
  const auto s = DelayThrowSettings::of(p);
  const Source source(p);
  PrintPlan plan;
  const FrameRange span = p.span();
  plan.extent = {span.begin, span.begin + Frames(longestPrint(p, s, source.frames()))};
  plan.reads = source.reads();
  if (s.duckDb > 0)
    plan.reads.push_back(
        {p.ornament.on,
         Read::What::dryBefore,
         {plan.extent.begin, plan.extent.end + Frames(Ducking::lookaheadFrames(p.sampleRate()) + kPrintBlock)}});
  if (s.removeDry) {
    plan.dry = sourceRemoved(p);
    plan.extent.end = std::max(plan.extent.end, span.end);
  }
  return plan;
}

std::unique_ptr<Voice> DelayThrow::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<DelayThrowVoice>(p, sounds);
}

std::optional<LoopFigures> DelayThrow::loopFigures(const Placed& p) const {
  const auto s = DelayThrowSettings::of(p);
  const double rate = p.sampleRate(), hl = filterPeak(s, rate, 0), hr = filterPeak(s, rate, 1);
  const bool alternates = s.pattern != EchoPattern::straight;
  // Gain of one pass when the feedback stands at (l, r); alternating passes take the mean of the two sides in dB.
  const auto pass = [&](double l, double r) {
    return alternates ? std::sqrt(l * hl * r * hr) : std::max(l * hl, r * hr);
  };
  LoopFigures f;
  f.gainPerPassDb = Decibels::ofGain(pass(s.feedbackLeft.highest(), s.feedbackRight.highest())).value;
  const double frames =
      alternates ? 0.5 * (s.timeLeft + s.timeRight)
                 : (s.feedbackLeft.highest() * hl >= s.feedbackRight.highest() * hr ? s.timeLeft : s.timeRight);
  f.passSeconds = frames / rate;
  const Beats start = p.ornament.start;
  const double barSeconds = p.map.meterAt(start).barLength().quarters() * 60 / p.map.bpmAt(start);
  f.gainPerBarDb = f.gainPerPassDb * barSeconds / f.passSeconds;

  const double from = p.map.secondsAt(start).value;
  double level = 0;
  for (double t = f.passSeconds; t < kLongestTailSeconds; t += f.passSeconds) {
    const Beats here = p.map.beatAt(Seconds(from + t));
    if (s.cutAt && (here - start).quarters() >= *s.cutAt) {
      f.diesAt = start + Beats::ofQuarters(*s.cutAt);
      break;
    }
    if (level >= s.loopCeilingDb && level > 0 && !f.ceilingAt) f.ceilingAt = here;
    if (level <= -60) {
      f.diesAt = here;
      break;
    }
    const double x = (here - start).quarters();
    level = std::min(level + Decibels::ofGain(pass(s.feedbackLeft.at(x), s.feedbackRight.at(x))).value,
                     std::max(s.loopCeilingDb, 0.0) + 1e-9);
  }
  return f;
}

std::optional<Ornament> DelayThrow::withTailEnd(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  o.settings["cut_at"] = Value();
  const auto whole = loopFigures({o, p.context});
  const Beats least = std::min(o.length, Beats(kTicksPerQuarter / 16));
  at = std::max(at, o.start + least);
  if (!whole->diesAt || at < *whole->diesAt) o.settings["cut_at"] = (at - o.start).quarters();
  return o;
}

} // namespace ivrin
