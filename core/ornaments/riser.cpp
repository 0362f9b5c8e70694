#include "ornaments/riser.h"

#include "audio/dither.h"
#include "dsp/filter/svf.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/stretch.h"
#include "dsp/tones/steady_noise.h"
#include "dsp/tones/wave_table.h"
#include "ornaments/any_block.h"
#include "ornaments/loop.h"
#include "ornaments/source.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ivrin {
namespace {

constexpr double kLandingFade = 0.005;   // seconds: after a landing
constexpr std::int64_t kFilterPart = 32; // frames in which the filter stands still
constexpr std::int64_t kGrid = 256;      // frames between two looks at its lines; fewer in short spans, more in hours
constexpr std::int64_t kMostCells = 1 << 17;
constexpr std::int64_t kChunk =
    48 * kPrintBlock;             // the filter begins anew so often, after a run-up: any block can be first
constexpr double kRunUpTaus = 14; // −120 dB
constexpr double kDetuneCents = 9;
constexpr double kMostSourceSeconds = 30; // of a stem that are measured
constexpr double kLongestReversedHit = 3;

double q(double resonance) {
  return 0.7 * std::pow(20, resonance); // to 12
}

std::int64_t frameCount(double seconds, double rate) {
  return std::llround(seconds * rate);
}

/// Where what climbs sounds: up to the landing and its fade, or its tail; falling, its span.
FrameRange climbing(const RiserShape& s, double rate) {
  FrameRange e = s.span;
  if (!s.down) e.end = e.end + Frames(s.tail + frameCount(kLandingFade, rate));
  return e;
}

/// What of the row may be heard, from the span's begin.
FrameRange stemReach(const Placed& p, const RiserShape& shape, std::int64_t frames) {
  const Frames begin = p.span().begin;
  const double lowest = std::exp2(std::min({shape.at(0).semitones, shape.at(1).semitones, 0.0}) / 12);
  const std::int64_t around =
      shape.plays == RiserShape::Plays::stretched ? Stretch::around(p.sampleRate(), lowest) : 4096;
  std::int64_t before = around;
  if (shape.plays == RiserShape::Plays::reversed) {
    const double fastest = std::exp2(std::max({shape.at(0).semitones, shape.at(1).semitones, 0.0}) / 12);
    before += static_cast<std::int64_t>(fastest * static_cast<double>(frames));
  }
  return {begin - Frames(before), begin + Frames(frames + around)};
}

/// All that climbs, at frames counted from the print's begin.
class Climb {
 public:
  Climb(const Placed& p, Sounds& sounds)
      : shape_(p)
      , rate_(p.sampleRate())
      , frames_(climbing(shape_, rate_).length())
      , trembles_(!shape_.borders().empty()) {
    while (grid_ > kFilterPart && frames_ / grid_ < 1024) grid_ /= 2;
    while (frames_ / grid_ > kMostCells) grid_ *= 2;
    const double lowest = std::min(shape_.at(0).cutoffHz, shape_.at(1).cutoffHz);
    runUp_ = std::min<std::int64_t>(
        (static_cast<std::int64_t>(kRunUpTaus * q(shape_.resonance) / (std::numbers::pi * lowest) * rate_) / kGrid +
         1) *
            kGrid,
        4 * kChunk);
    makeLines();
    if (shape_.of == RiserShape::Of::noise) {
      noise_ = steadyNoise(rate_);
      makeRide();
      noiseAt_ = static_cast<std::int64_t>(mix64(static_cast<std::uint64_t>(p.ornament.seed)) %
                                           static_cast<std::uint64_t>(noise_->frames()));
    }
    if (shape_.of == RiserShape::Of::stem) makeStem(p, sounds);
    filter_.emplace(StereoSvf::Pass::low, 1000, 1000, rate_, q(shape_.resonance));
  }
  std::int64_t frames() const { return frames_; }
  const RiserShape& shape() const { return shape_; }

  /// Adds out.frames frames from `at` on; a jump costs the run-up of the filter.
  void add(std::int64_t at, StereoSpan out) {
    const std::int64_t n = std::min(out.frames, frames_ - at);
    for (std::int64_t done = 0; done < n;) {
      const std::int64_t now = at + done, chunk = now / kChunk;
      const std::int64_t count = std::min(n - done, (chunk + 1) * kChunk - now);
      if (chunk != chunk_ || now != next_) {
        chunk_ = chunk;
        filter_->reset();
        next_ = std::max<std::int64_t>(0, chunk * kChunk - runUp_);
        while (next_ < now) run(std::min<std::int64_t>(kPrintBlock, now - next_));
      }
      run(count);
      for (std::int64_t i = 0; i < count; ++i) {
        out.left[done + i] += part_.left()[i];
        out.right[done + i] += part_.right()[i];
      }
      done += count;
    }
  }

 private:
  struct Line {
    double cutoff, gain, mid, side, hz; // hz: of a tone; of a stem its speed
  };

  void makeLines() {
    const std::int64_t cells = frames_ / grid_ + 2;
    lines_.resize(static_cast<std::size_t>(cells));
    turned_.resize(static_cast<std::size_t>(cells));
    double turned = 0;
    for (std::int64_t c = 0; c < cells; ++c) {
      const Frames f = shape_.span.begin + Frames(c * grid_);
      const RiserShape::State s = shape_.at(shape_.progress(f));
      Line& line = lines_[static_cast<std::size_t>(c)];
      line.cutoff = s.cutoffHz;
      line.gain = std::pow(10, (s.levelDb - 3.0103) / 20);
      // Width: the middle against the sides, at the same power.
      const double angle = std::atan(s.width);
      line.mid = std::numbers::sqrt2 * std::cos(angle);
      line.side = std::numbers::sqrt2 * std::sin(angle);
      line.hz = shape_.of == RiserShape::Of::tone ? 440 * std::exp2((s.semitones - 69) / 12) / rate_
                                                  : std::exp2(s.semitones / 12);
      // Turns of a tone, or frames of a stem, gone before this cell: the speed goes straight within each.
      if (c > 0) turned += 0.5 * (lines_[static_cast<std::size_t>(c) - 1].hz + line.hz) * static_cast<double>(grid_);
      turned_[static_cast<std::size_t>(c)] = turned;
    }
  }

  /// How loud the noise is behind the filter, over its cutoff: equal power in every octave, by the filter's own curve.
  void makeRide() {
    constexpr int kPoints = 48, kBands = 96;
    StereoSvf probe(StereoSvf::Pass::low, 1000, 1000, rate_, q(shape_.resonance));
    std::array<double, kPoints> behind{};
    const double low = 20, high = 0.48 * rate_;
    for (int i = 0; i < kPoints; ++i) {
      probe.setCutoff(low * std::pow(1000, i / (kPoints - 1.0)));
      double power = 0;
      for (int b = 0; b < kBands; ++b) {
        const double h = probe.magnitude(0, low * std::pow(high / low, (b + 0.5) / kBands));
        power += h * h / kBands;
      }
      behind[static_cast<std::size_t>(i)] = std::sqrt(power);
    }
    for (Line& line : lines_) {
      const double x = std::clamp(std::log(line.cutoff / low) / std::log(1000.0), 0.0, 1.0) * (kPoints - 1);
      const auto i = static_cast<std::size_t>(std::min(x, kPoints - 2.0));
      const double u = x - static_cast<double>(i);
      line.gain /= std::exp((1 - u) * std::log(behind[i]) + u * std::log(behind[i + 1]));
    }
  }

  void makeStem(const Placed& p, Sounds& sounds) {
    source_.emplace(p, stemReach(p, shape_, frames_));
    const auto read = [this, &sounds](std::int64_t from, StereoSpan out) { source_->read(sounds, from, out); };
    const std::int64_t heard =
        std::min(source_->own() ? shape_.span.length() : source_->pieceFrames(), frameCount(kMostSourceSeconds, rate_));
    const SourceLevel level = measureSource(heard, read);
    // So that its level counts as the others' do; what is all but silent stays so.
    stemGain_ = level.rmsDb > -70 ? std::pow(10, -level.rmsDb / 20) : 0;
    const std::int64_t last = source_->own() ? shape_.span.length() : source_->pieceFrames();
    switch (shape_.plays) {
    case RiserShape::Plays::looped:
      loop_.emplace(std::min(frameCount(shape_.loopSeconds, rate_), std::max<std::int64_t>(last, 2)),
                    frameCount(0.02, rate_), 0, read);
      reader_.emplace([this](std::int64_t from, StereoSpan out) { loop_->read(from, out); });
      break;
    case RiserShape::Plays::reversed:
      reader_.emplace([read, last](std::int64_t from, StereoSpan out) {
        read(last - from - out.frames, out);
        out.reverse();
      });
      break;
    case RiserShape::Plays::stretched:
      stretch_.emplace(rate_, 1.0, lines_.front().hz, read, runUp_ + kPrintBlock);
      stretch_->follow([this](std::int64_t frame) {
        return lines_[static_cast<std::size_t>(std::min<std::int64_t>(frame / grid_, std::ssize(lines_) - 1))].hz;
      });
      break;
    }
  }

  /// The next frames, at most a block, into `part_`.
  void run(std::int64_t n) {
    const StereoSpan io = part_.span().part(0, n);
    switch (shape_.of) {
    case RiserShape::Of::noise:
      fillNoise(io);
      break;
    case RiserShape::Of::tone:
      fillTone(io);
      break;
    case RiserShape::Of::stem:
      fillStem(io);
      break;
    }
    eachPart(n, [&](std::int64_t i, std::int64_t count, const Line& a, const Line& b, double u) {
      filter_->setCutoff(a.cutoff + u * (b.cutoff - a.cutoff));
      filter_->process(io.left + i, io.right + i, count);
      double gain = a.gain + u * (b.gain - a.gain), rise = (b.gain - a.gain) / static_cast<double>(grid_);
      if (trembles_) {
        const Frames at = shape_.span.begin + Frames(next_ + i);
        const double first = shape_.tremble(at), last = shape_.tremble(at + Frames(count));
        rise = ((gain + rise * static_cast<double>(count)) * last - gain * first) / static_cast<double>(count);
        gain *= first;
      }
      for (std::int64_t k = 0; k < count; ++k) {
        const auto g = static_cast<float>(gain + rise * static_cast<double>(k));
        io.left[i + k] *= g;
        io.right[i + k] *= g;
      }
    });
    edges(io);
    next_ += n;
  }
  /// Calls f(from, count, line before, line after, way from the one to the other) for parts of the next n frames in
  /// which the filter stands still.
  template <class F> void eachPart(std::int64_t n, F f) const {
    for (std::int64_t i = 0; i < n;) {
      const std::int64_t at = next_ + i, cell = at / grid_, in = at - cell * grid_;
      const std::int64_t count = std::min({grid_ - in, n - i, kFilterPart - at % kFilterPart});
      f(i, count, lines_[static_cast<std::size_t>(cell)], lines_[static_cast<std::size_t>(cell) + 1],
        static_cast<double>(in) / static_cast<double>(grid_));
      i += count;
    }
  }

  /// How a tone turns, or a stem runs, within a cell: its speed goes straight.
  struct Motion {
    double before, hz, slope;
    double gone(double x) const { return before + hz * x + 0.5 * slope * x * x; }
    double speed(double x) const { return hz + slope * x; }
  };
  Motion motionAt(std::int64_t at) const {
    const auto cell = static_cast<std::size_t>(at / grid_);
    return {turned_[cell], lines_[cell].hz, (lines_[cell + 1].hz - lines_[cell].hz) / static_cast<double>(grid_)};
  }

  void fillNoise(StereoSpan io) {
    const std::int64_t n = noise_->frames();
    std::int64_t from = (noiseAt_ + next_) % n;
    eachPart(io.frames, [&](std::int64_t i, std::int64_t count, const Line& a, const Line& b, double u) {
      const auto mid = static_cast<float>(0.70710678 * (a.mid + u * (b.mid - a.mid))),
                 side = static_cast<float>(0.70710678 * (a.side + u * (b.side - a.side)));
      for (std::int64_t k = 0; k < count; ++k) {
        if (from == n) from = 0;
        const float m = mid * noise_->left()[from], s = side * noise_->right()[from];
        io.left[i + k] = m + s;
        io.right[i + k] = m - s;
        ++from;
      }
    });
  }
  void fillTone(StereoSpan io) {
    static const WaveTable &saw = WaveTable::of(WaveTable::Shape::saw), &left = WaveTable::of(WaveTable::Shape::left),
                           &right = WaveTable::of(WaveTable::Shape::right);
    const double up = std::exp2(kDetuneCents / 1200), down = 1 / up, highest = 0.45;
    io.clear();
    eachPart(io.frames, [&](std::int64_t i, std::int64_t count, const Line& a, const Line& b, double u) {
      const Motion motion = motionAt(next_ + i);
      const double x = static_cast<double>((next_ + i) % grid_), slope = motion.slope, hz = motion.speed(x),
                   turned = motion.gone(x);
      const auto mid = static_cast<float>(a.mid + u * (b.mid - a.mid)),
                 side = static_cast<float>(a.side + u * (b.side - a.side));
      const auto voice = [&](const WaveTable& table, double detune, float gain, float* out) {
        const double phase = turned * detune;
        const auto turns = [](double v) { return static_cast<std::uint32_t>(static_cast<std::int64_t>(v * 0x1p32)); };
        // The phase goes as a parabola: its first step is half a slope longer.
        WaveTable::add(table.level(hz * detune, highest), turns(phase - std::floor(phase)),
                       turns((hz + 0.5 * slope) * detune), turns(slope * detune), gain, out, count);
      };
      // Power 1/2 for each side: the middle tone and the detuned one share it.
      voice(saw, 1, mid, io.left + i);
      std::copy_n(io.left + i, count, io.right + i);
      if (side == 0) return;
      voice(left, up, side, io.left + i);
      voice(right, down, side, io.right + i);
    });
  }
  void fillStem(StereoSpan io) {
    if (stretch_) {
      stretch_->read(next_, io);
    } else {
      eachPart(io.frames, [&](std::int64_t i, std::int64_t count, const Line&, const Line&, double) {
        const Motion motion = motionAt(next_ + i);
        for (std::int64_t k = i; k < i + count; ++k) {
          const double x = static_cast<double>((next_ + i) % grid_ + k - i);
          position_[static_cast<std::size_t>(k)] = motion.gone(x);
          speed_[static_cast<std::size_t>(k)] = motion.speed(x);
        }
      });
      reader_->read(position_.data(), speed_.data(), io);
    }
    // The row's own width, wider or narrower.
    eachPart(io.frames, [&](std::int64_t i, std::int64_t count, const Line& a, const Line& b, double u) {
      const auto mid = static_cast<float>(0.5 * stemGain_ * (a.mid + u * (b.mid - a.mid))),
                 side = static_cast<float>(0.5 * stemGain_ * (a.side + u * (b.side - a.side)));
      for (std::int64_t k = i; k < i + count; ++k) {
        const float m = mid * (io.left[k] + io.right[k]), s = side * (io.left[k] - io.right[k]);
        io.left[k] = m + s;
        io.right[k] = m - s;
      }
    });
  }
  void edges(StereoSpan io) {
    const std::int64_t in = frameCount(kFadeInSeconds, rate_), whole = shape_.span.length();
    const std::int64_t out = frames_ - (shape_.down ? whole - frameCount(kFadeOutSeconds, rate_) : whole);
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const std::int64_t at = next_ + i;
      double g = 1;
      if (at < in) g = raisedCosine(static_cast<double>(at) / static_cast<double>(in));
      if (const std::int64_t left = frames_ - at; left <= out) {
        const double u = static_cast<double>(left - 1) / static_cast<double>(out);
        // A tail falls 60 dB and then goes out.
        g *= shape_.tail > 0 && !shape_.down ? std::pow(10.0, -3 * (1 - u)) * std::min(1.0, u * 20) : raisedCosine(u);
      }
      if (g == 1) continue;
      io.left[i] *= static_cast<float>(g);
      io.right[i] *= static_cast<float>(g);
    }
  }

  RiserShape shape_;
  double rate_;
  std::int64_t frames_;
  bool trembles_;
  std::int64_t grid_ = kGrid, runUp_ = 0;
  std::vector<Line> lines_;
  std::vector<double> turned_;
  std::shared_ptr<const StereoBuffer> noise_;
  std::int64_t noiseAt_ = 0;
  std::optional<OwnOrPieces> source_;
  double stemGain_ = 0;
  std::optional<SoundLoop> loop_;
  std::optional<SpeedReader> reader_;
  std::optional<Stretch> stretch_;
  std::optional<StereoSvf> filter_;
  StereoBuffer part_{kPrintBlock};
  std::array<double, kPrintBlock> position_{}, speed_{};
  std::int64_t chunk_ = -1, next_ = -1;
};

/// Frames of a hit played backwards that end on the landing; only where it climbs.
std::int64_t reversedFrames(const RiserShape& s, double rate) {
  if (!s.reversedHit || s.down) return 0;
  return std::min(s.span.length(), frameCount(kLongestReversedHit, rate));
}

FrameRange extentOf(const RiserShape& s, double rate) {
  FrameRange e = climbing(s, rate);
  if (s.hitDb) e.end = std::max(e.end, s.landing + Frames(impactFrames(s.hit, rate)));
  return e;
}

class RiserVoice : public AnyBlockVoice {
 public:
  RiserVoice(const Placed& p, Sounds& sounds)
      : climb_(p, sounds)
      , rate_(p.sampleRate())
      , extent_(extentOf(climb_.shape(), rate_)) {
    const RiserShape& s = climb_.shape();
    if (s.hitDb) hitGain_ = static_cast<float>(Decibels(*s.hitDb).gain());
    reversedGain_ = static_cast<float>(Decibels(std::max(s.at(0).levelDb, s.at(1).levelDb)).gain());
  }

 protected:
  std::int64_t frames() const override { return extent_.length(); }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    part.clear();
    const RiserShape& s = climb_.shape();
    const Frames first = extent_.begin + Frames(at);
    if (const std::int64_t from = (first - s.span.begin).count; from + n > 0 && from < climb_.frames()) {
      const std::int64_t skip = std::max<std::int64_t>(0, -from);
      climb_.add(from + skip, part.part(skip, n - skip));
    }
    // Only where they sound are hits computed.
    const std::int64_t after = (first - s.landing).count, length = reversedFrames(s, rate_);
    if (s.hitDb && after + n > 0 && after < impactFrames(s.hit, rate_))
      addHit(*impactSound(s.hit, s.note, rate_), after, part);
    if (after < 0 && after + n > -length) addReversed(*impactSound(s.reversed, s.note, rate_), length, -after, part);
  }

 private:
  void addHit(const StereoBuffer& hit, std::int64_t from, StereoSpan out) const {
    for (std::int64_t i = std::max<std::int64_t>(0, -from); i < out.frames && from + i < hit.frames(); ++i) {
      out.left[i] += hitGain_ * hit.left()[from + i];
      out.right[i] += hitGain_ * hit.right()[from + i];
    }
  }
  /// `toLanding` frames from the block's begin to the landing.
  void addReversed(const StereoBuffer& hit, std::int64_t length, std::int64_t toLanding, StereoSpan out) const {
    const std::int64_t whole = std::min(length, hit.frames()), in = std::max<std::int64_t>(1, whole / 4);
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const std::int64_t at = toLanding - 1 - i; // 0 right before the landing
      if (at < 0) break;
      if (at >= whole) continue;
      const auto g =
          reversedGain_ * static_cast<float>(raisedCosine(static_cast<double>(whole - at) / static_cast<double>(in)));
      out.left[i] += g * hit.left()[at];
      out.right[i] += g * hit.right()[at];
    }
  }
  Climb climb_;
  double rate_;
  FrameRange extent_;
  float hitGain_ = 0, reversedGain_ = 0;
};

} // namespace

const TableSpec& Riser::table() const {
  return RiserShape::table();
}

PrintPlan Riser::plan(const Placed& p) const {
  const RiserShape shape(p);
  PrintPlan plan;
  plan.extent = extentOf(shape, p.sampleRate());
  plan.anyOrder = true;
  if (shape.of == RiserShape::Of::stem) plan.reads = OwnOrPieces(p, stemReach(p, shape, plan.extent.length())).reads();
  return plan;
}

std::unique_ptr<Voice> Riser::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<RiserVoice>(p, sounds);
}

std::optional<Frames> Riser::landingFrame(const Placed& p) const {
  return leadsIn(p.ornament) ? p.span().end : p.span().begin;
}

bool Riser::leadsIn(const Ornament& o) const {
  return *settingOr(RiserShape::table(), o.settings, "direction").text() == "up";
}

std::optional<Ornament> Riser::withLandingAt(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  if (leadsIn(o)) {
    o.length = std::max(at - o.start, Beats(kTicksPerQuarter / 64));
  } else {
    const Beats end = o.span().end;
    o.start = std::min(at, end - Beats(kTicksPerQuarter / 64));
    o.length = end - o.start;
  }
  return o;
}

std::optional<Ornament> Riser::withLeadBegin(const Placed& p, Beats at) const {
  if (!leadsIn(p.ornament)) return std::nullopt;
  Ornament o = p.ornament;
  const Beats end = o.span().end;
  o.start = std::min(at, end - Beats(kTicksPerQuarter / 64));
  o.length = end - o.start;
  return o;
}

} // namespace ivrin
