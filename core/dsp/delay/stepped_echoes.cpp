#include "dsp/delay/stepped_echoes.h"

#include "dsp/delay/shifted_sound.h"
#include "dsp/delay/wobble.h"
#include "dsp/filter/svf_cascade.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/stretch.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <optional>
#include <vector>

namespace ivrin {
namespace {

constexpr std::int64_t kStep = 256; // frames at once, over which gains go in a straight line
constexpr std::int64_t kDrift = 64; // ... drifts, in as many milliseconds at every rate over 48 kHz
constexpr std::size_t kMostAtOnce = 32, kMostDrivenAtOnce = 12;       // passes
constexpr int kMostFilters = 16, kMostDriven = 3, kMostLookedAt = 24; // times round
constexpr double kWholeSeconds = 12;  // what is no longer is kept whole at each of its pitches
constexpr double kRingSeconds = 0.3;  // filters have rung out after what went in
constexpr double kFaintest = 0x1p-18; // a pass under it, −108 dBFS, is not computed
constexpr double kMostGain = 1024;    // without a ceiling

} // namespace

struct SteppedEchoes::Body {
  /// Filters of one time round or of several, and the saturation behind them.
  struct Round {
    SvfCascade low, high;
    std::vector<Drive> drives; // left, right; or none
  };
  /// What a pass, and the first ones of its chain, have been turned to by the feedback when it sounds at a time.
  struct Gains {
    std::array<double, kMostDriven> first{}; // after times 1, 2, … as far as there are
    double all = 1;
  };
  struct DriftAt {
    std::int64_t at = -1;
    double frames = 0;
  };
  /// One time round: what was sent, shifted, filtered so often.
  struct Pass {
    int number;
    std::array<double, 2> delay; // frames, of what is heard on the left and on the right
    bool swapped;                // heard on the other side than it was sent
    // All that follows is made when it is first heard.
    std::function<void(std::int64_t from, StereoSpan out)> shifted;
    std::optional<SpeedReader> drifting; // reads it where it does not stand still
    std::vector<Round> rounds;
    std::array<Gains, 2> still;       // by side: of feedback that does not move
    std::array<DriftAt, 2> drifted{}; // by side: the end of the last cell, which the next one begins with
  };

  Body(const EchoSettings& settings, double sampleRate, Feed feed, std::int64_t sentFrames,
       std::function<double(int)> steps)
      : s(settings)
      , rate(sampleRate)
      , sent(std::move(feed))
      , frames(sentFrames)
      , semitones(std::move(steps))
      , alternates(s.pattern != EchoPattern::straight)
      , drift(kDrift * std::max<std::int64_t>(1, std::llround(rate / 48000)))
      , made(kStep)
      , other(kStep)
      , sum(kStep) {
    if (s.ceiling) {
      limiter = std::make_unique<LookaheadLimiter>(ceilingOf(s, rate));
      ahead = limiter->lookahead();
      highest = *s.ceiling / std::max(s.driveReference, 1e-9);
    }
    if (s.drive > 0) drive.emplace(driveOf(s, rate));
    s.swing = std::min(s.swing, 0.25 * std::min(s.timeLeft, s.timeRight));
    if (s.swing > 0) wobble.emplace(s.swing, s.flutter, s.flutterSeed, s.phase, rate);
  }

  int drivenTimes(int pass) const { return drive ? std::min(pass, kMostDriven) : 0; }

  /// After so many times round, of what is heard on a side at the end.
  double delayOf(int pass, std::size_t side) const {
    const double own = side == 0 ? s.timeLeft : s.timeRight, opposite = side == 0 ? s.timeRight : s.timeLeft;
    if (s.pattern == EchoPattern::straight) return pass * own;
    // Ping-pong begins on the left: its passes are heard on one side only.
    const int owns = (pass + 1) / 2;
    return owns * own + (pass - owns) * opposite;
  }
  bool heard(int pass, std::size_t side) const {
    return s.pattern != EchoPattern::pingPong || (pass % 2 == 1) == (side == 0);
  }
  /// The side that pass j of a chain is on which ends, after `pass` times, on `side`.
  std::size_t sideOf(int j, int pass, std::size_t side) const {
    return alternates && (pass - j) % 2 == 1 ? 1 - side : side;
  }
  /// When pass `j` sounded what its chain's end, pass `number`, sounds on a side at a time.
  std::int64_t when(int j, int number, std::size_t side, std::int64_t at) const {
    const int back = number - j;
    if (!alternates) return at - std::llround(back * (side == 0 ? s.timeLeft : s.timeRight));
    const int owns = (back + 1) / 2;
    return at - std::llround(owns * (side == 0 ? s.timeLeft : s.timeRight) +
                             (back - owns) * (side == 0 ? s.timeRight : s.timeLeft));
  }
  /// The feedback that pass j of a chain was fed with.
  double fedBy(int j, int number, std::size_t side, std::int64_t at) const {
    const std::size_t on = sideOf(j, number, side);
    if (!s.moving) return s.feedback[on];
    float l = 0, r = 0;
    s.moving(std::max<std::int64_t>(0, when(j - 1, number, side, at)), &l, &r, 1);
    return static_cast<double>(on == 0 ? l : r);
  }
  Gains gainsAt(int number, std::size_t side, std::int64_t at) const {
    Gains g;
    g.first[0] = 1;
    const int exact = std::min(number, kMostDriven);
    for (int j = 2; j <= exact; ++j) {
      g.all = std::min(g.all * fedBy(j, number, side, at), highest);
      g.first[static_cast<std::size_t>(j - 1)] = g.all;
    }
    // Of very many a part is looked at, each for those that follow it.
    const int every = (number - exact) / kMostLookedAt + 1;
    for (int j = exact + 1; j <= number; j += every) {
      double by = fedBy(j, number, side, at);
      if (every > 1) by = std::sqrt(by * fedBy(std::min(j + 1, number), number, side, at)); // of both sides
      g.all = std::min(g.all * std::pow(by, std::min(every, number + 1 - j)), highest);
    }
    return g;
  }
  double driftAt(Pass& p, std::size_t side, std::int64_t at) const {
    DriftAt& last = p.drifted[side];
    if (last.at == at) return last.frames;
    const int every = (p.number - 1) / kMostLookedAt + 1;
    last = {at, 0};
    for (int j = p.number; j >= 1; j -= every)
      last.frames += std::min(every, j) * wobble->at(when(j, p.number, side, at), sideOf(j, p.number, side));
    return last.frames;
  }

  Pass passOf(int number) const {
    Pass p{};
    p.number = number;
    p.delay = {delayOf(number, 0), delayOf(number, 1)};
    p.swapped = s.pattern == EchoPattern::cross && number % 2 == 1;
    if (!s.moving) p.still = {gainsAt(number, 0, 0), gainsAt(number, 1, 0)};
    return p;
  }
  /// What was sent, where there is any.
  void readSent(std::int64_t from, StereoSpan out) const {
    out.clear();
    const std::int64_t begin = std::max<std::int64_t>(0, -from), end = std::min(out.frames, frames - from);
    if (begin < end) sent(from + begin, out.part(begin, end - begin));
    if (s.pattern == EchoPattern::pingPong) toBoth(out);
  }
  std::function<void(std::int64_t, StereoSpan)> shiftedBy(const Pass& p) {
    const double by = semitones(p.number);
    if (static_cast<double>(frames) < kWholeSeconds * rate) {
      if (!whole) {
        whole = std::make_shared<StereoBuffer>(frames);
        readSent(0, whole->span());
      }
      return [sound = ShiftedSound::of(whole, by, rate)](std::int64_t from, StereoSpan out) { sound->read(from, out); };
    }
    const auto back = static_cast<std::int64_t>(std::abs(p.delay[0] - p.delay[1]) + 4 * s.swing * p.number) +
                      4 * SpeedReader::kReach + 2 * kStep;
    const auto stretch = std::make_shared<Stretch>(
        rate, 1, std::exp2(by / 12), [this](std::int64_t from, StereoSpan out) { readSent(from, out); }, back);
    return [stretch](std::int64_t from, StereoSpan out) {
      const std::int64_t none = std::clamp<std::int64_t>(-from, 0, out.frames);
      out.part(0, none).clear();
      if (none < out.frames) stretch->read(from + none, out.part(none, out.frames - none));
    };
  }
  void make(Pass& p) {
    p.shifted = shiftedBy(p);
    if (wobble) p.drifting.emplace(p.shifted);
    // Of very many times through the same filter fewer are made, each so much steeper about its cut.
    const int filters = std::min(p.number, kMostFilters);
    const double stands = std::pow(static_cast<double>(p.number) / filters, 0.25);
    const int drives = drivenTimes(p.number);
    for (int i = 1; i <= std::max(filters, 1); ++i) {
      if (i == 1 || i <= drives + 1)
        p.rounds.push_back({SvfCascade(StereoSvf::Pass::high, rate), SvfCascade(StereoSvf::Pass::low, rate), {}});
      const auto l = sideOf(i, filters, 0), r = 1 - l;
      const auto cut = [&](SvfCascade& to, const CutOfSides& hz, double open, double by) {
        if (hz[0] || hz[1]) to.add(hz[l].value_or(open) * by, hz[r].value_or(open) * by);
      };
      cut(p.rounds.back().low, s.lowCutHz, 20, stands);
      cut(p.rounds.back().high, s.highCutHz, 20000, 1 / stands);
      if (i <= drives) p.rounds.back().drives.assign(2, *drive);
    }
  }
  static void toBoth(StereoSpan io) {
    toMiddle(io);
    std::copy_n(io.left, io.frames, io.right);
  }

  /// Where the echo ends at the latest.
  std::int64_t endOf(const Pass& p) const {
    return static_cast<std::int64_t>(std::max(p.delay[0], p.delay[1]) + s.swing * p.number + kRingSeconds * rate) +
           frames;
  }
  std::int64_t beginOf(int number) const {
    return static_cast<std::int64_t>(std::min(delayOf(number, 0), delayOf(number, 1)) - s.swing * number) -
           SpeedReader::kReach;
  }

  /// What a pass sounds like at a side, from time `at` on, before its gain.
  void fetch(Pass& p, std::size_t side, std::int64_t at, StereoSpan out) {
    const int late = drive ? drivenTimes(p.number) * drive->latency() : 0;
    // Standing still, an echo lies on the nearest frame.
    if (!wobble) return p.shifted(at + late - std::llround(p.delay[side]), out);
    const double place = static_cast<double>(at + late) - p.delay[side];
    for (std::int64_t i = 0; i < out.frames;) {
      const std::int64_t cell = (at + i) / drift * drift, n = std::min(out.frames - i, cell + drift - at - i);
      const double a = driftAt(p, side, cell + late), b = driftAt(p, side, cell + drift + late);
      const double slope = (b - a) / static_cast<double>(drift);
      const int first = static_cast<int>(i), within = static_cast<int>(at + i - cell), count = static_cast<int>(n);
      double* to = places.data() + i;
      for (int k = 0; k < count; ++k) to[k] = place + (first + k) - (a + (within + k) * slope);
      i += n;
    }
    std::fill_n(paces.begin(), out.frames, 1.0); // a drift is far too slow to fold anything back
    p.drifting->read(places.data(), paces.data(), out);
  }

  /// Adds a pass from time `at` on.
  void add(Pass& p, std::int64_t at, StereoSpan to) {
    double loudest = 0;
    for (std::size_t side = 0; side < 2; ++side)
      for (const std::size_t end : {0, 1}) {
        gains[side][end] =
            s.moving ? gainsAt(p.number, side, at / kStep * kStep + (end == 0 ? 0 : kStep)) : p.still[side];
        if (heard(p.number, side)) loudest = std::max(loudest, gains[side][end].all);
      }
    if (loudest * s.driveReference < kFaintest) return;
    if (!p.shifted) make(p);
    const StereoSpan x = made.span().part(0, to.frames);
    fetch(p, 0, at, x);
    if (!wobble && std::llround(p.delay[0]) == std::llround(p.delay[1])) {
      if (p.swapped) std::swap_ranges(x.left, x.left + x.frames, x.right);
    } else {
      const StereoSpan y = other.span().part(0, to.frames);
      fetch(p, 1, at, y);
      if (p.swapped) std::copy_n(x.right, x.frames, x.left);
      std::copy_n(p.swapped ? y.left : y.right, x.frames, x.right);
    }
    // As often round: filters, then saturation, which hears each time what the feedback has left.
    std::size_t saturated = 0;
    for (Round& round : p.rounds) {
      round.low.process(x.left, x.right, x.frames);
      round.high.process(x.left, x.right, x.frames);
      if (round.drives.empty()) continue;
      if (saturated > 0) turn(x, at, saturated - 1, saturated);
      round.drives[0].process(x.left, x.frames);
      round.drives[1].process(x.right, x.frames);
      ++saturated;
    }
    turn(x, at, saturated > 0 ? saturated - 1 : 0, kAll);
    for (std::size_t side = 0; side < 2; ++side) {
      if (!heard(p.number, side)) continue;
      const float* in = side == 0 ? x.left : x.right;
      float* out = side == 0 ? to.left : to.right;
      for (std::int64_t i = 0; i < to.frames; ++i) {
        out[i] += in[i];
        stored = std::max(stored, std::abs(in[i]));
      }
    }
  }
  /// From what one time round was turned to, to what a later one was (kAll: the last), in a straight line over the
  /// step.
  static constexpr std::size_t kAll = kMostDriven;
  void turn(StereoSpan x, std::int64_t at, std::size_t from, std::size_t to) const {
    for (std::size_t side = 0; side < 2; ++side) {
      const auto by = [&](const Gains& g) {
        return g.first[from] > 0 ? static_cast<float>((to == kAll ? g.all : g.first[to]) / g.first[from]) : 0.0f;
      };
      const float a = by(gains[side][0]), b = by(gains[side][1]);
      float* y = side == 0 ? x.left : x.right;
      const int within = static_cast<int>(at % kStep), count = static_cast<int>(x.frames);
      for (int k = 0; k < count; ++k) y[k] *= a + (b - a) * (static_cast<float>(within + k) / kStep);
    }
  }

  /// All passes from time `at` on.
  void sumAt(std::int64_t at, StereoSpan out) {
    out.clear();
    for (; !dead && beginOf(next) < at + out.frames; ++next) {
      if (!s.moving && std::pow(std::max(s.feedback[0], s.feedback[1]), next - 1) * s.driveReference < kFaintest) {
        dead = true; // as are all that follow
        break;
      }
      // One too many at once is left out.
      const std::int64_t begins = beginOf(next);
      const auto sounding =
          std::count_if(passes.begin(), passes.end(), [&](const Pass& p) { return endOf(p) >= begins; });
      if (static_cast<std::size_t>(sounding) < (drive ? kMostDrivenAtOnce : kMostAtOnce))
        passes.push_back(passOf(next));
    }
    std::erase_if(passes, [&](const Pass& p) { return endOf(p) < at; });
    for (Pass& p : passes) add(p, at, out);
  }

  void step(StereoSpan out) {
    if (limiter && clock == 0) { // it looks ahead: so much is heard before
      for (std::int64_t done = 0; done < ahead;) {
        const StereoSpan part = sum.span().part(0, std::min(kStep - done % kStep, ahead - done));
        sumAt(done, part);
        limiter->process(part.left, part.right, part.frames);
        done += part.frames;
      }
    }
    for (std::int64_t done = 0; done < out.frames;) { // no further at once than to the next step's begin
      const std::int64_t at = clock + ahead + done, n = std::min(out.frames - done, kStep - at % kStep);
      sumAt(at, out.part(done, n));
      done += n;
    }
    if (limiter) limiter->process(out.left, out.right, out.frames);
    clock += out.frames;
  }

  EchoSettings s;
  double rate;
  Feed sent;
  std::int64_t frames;
  std::function<double(int)> semitones;
  bool alternates;
  std::int64_t drift; // frames of a cell
  std::int64_t ahead = 0, clock = 0;
  double highest = kMostGain; // gain of a pass
  int next = 1;
  std::optional<Drive> drive;
  std::unique_ptr<LookaheadLimiter> limiter;
  std::optional<Wobble> wobble;
  std::deque<Pass> passes;
  std::shared_ptr<StereoBuffer> whole; // what was sent, where it is kept
  StereoBuffer made, other, sum;
  std::array<double, kStep> places{}, paces{};
  bool dead = false;                         // no further pass can be heard
  std::array<std::array<Gains, 2>, 2> gains; // by side, at both ends of a step
  float stored = 0;
};

SteppedEchoes::SteppedEchoes(const EchoSettings& settings, double sampleRate, Feed sent, std::int64_t frames,
                             std::function<double(int)> semitones)
    : body_(std::make_unique<Body>(settings, sampleRate, std::move(sent), frames, std::move(semitones))) {}
SteppedEchoes::~SteppedEchoes() = default;
SteppedEchoes::SteppedEchoes(SteppedEchoes&&) noexcept = default;
SteppedEchoes& SteppedEchoes::operator=(SteppedEchoes&&) noexcept = default;

void SteppedEchoes::render(StereoSpan out) {
  body_->stored = 0;
  for (std::int64_t done = 0; done < out.frames;) {
    const std::int64_t n = std::min(out.frames - done, kStep);
    body_->step(out.part(done, n));
    done += n;
  }
}

float SteppedEchoes::stored() const {
  return body_->stored;
}

std::int64_t SteppedEchoes::memoryFrames() const {
  const EchoSettings& s = body_->s;
  return static_cast<std::int64_t>(std::ceil(std::max(s.timeLeft, s.timeRight) + s.swing)) + kStep;
}

} // namespace ivrin
