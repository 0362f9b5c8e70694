#include "ornaments/halftime.h"

#include "dsp/filter/crossover.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/stretch.h"
#include "ornaments/any_block.h"
#include "ornaments/source.h"
#include "time/note_value.h"
#include "words/words.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

namespace ivrin {
namespace {

constexpr double kFilterSeconds = 0.05;     // heard by the crossover before the span, so that it is under way
constexpr double kLeastKeptSeconds = 0.02;  // a cycle that can still be stretched
constexpr double kMostShiftSeconds = 0.012; // by which two sounds are brought in step where they are joined ...
constexpr double kMostShiftOfJoin = 0.5;    // ... of the join's length
constexpr std::int64_t kCompared = 1024;    // frames of it that are compared
constexpr double kAlike = 0.5;              // less alike, they are not moved

TableSpec makeHalftimeTable() {
  TableSpec t;
  t.id = "halftime";
  t.name = "Halftime stretch";
  t.key = "H";
  t.meaning = "Plays the first part of each cycle slower, so that it fills the cycle.";
  const auto add = [&](SettingSpec s) -> SettingSpec& {
    t.settings.push_back(std::move(s));
    return t.settings.back();
  };
  add({.key = "cycle",
       .label = "cycle",
       .type = type::time,
       .min = 1,
       .max = 960000,
       .initial = "1 bar",
       .meaning = "Length of one cycle, counted from the start of the ornament.",
       .group = "cycles"});
  add({.key = "slower",
       .label = "stretch",
       .unit = "×",
       .min = 1.1,
       .max = 8,
       .initial = 2,
       .meaning = "How much slower the first part of each cycle is played: higher is slower and lower.",
       .group = "cycles",
       .stops = {1.1, 1.25, 1.5, 2, 2.5, 3, 4, 6, 8},
       .atFirst = {1.5, 2, 3, 4},
       .restSince = 3});
  add({.key = "pitch",
       .label = "pitch",
       .type = type::choice,
       .initial = "drop",
       .meaning = "Whether the pitch drops with the speed or is kept.",
       .group = "cycles",
       .choices = {"drop", "keep"}});
  add({.key = "join_ms",
       .label = "crossfade",
       .unit = "ms",
       .max = 200,
       .initial = 12,
       .meaning = "Crossfade before each cycle. The transient after it stays intact.",
       .group = "cycles"});
  add({.key = "mix_percent",
       .label = "mix",
       .unit = "%",
       .max = 100,
       .initial = 100,
       .meaning = "How much of the row is replaced by the stretched sound.",
       .group = "sound",
       .step = 5,
       .role = Role::leftAlone});
  for (const bool low : {true, false}) {
    add({.key = low ? "low_hz" : "high_hz",
         .label = low ? "band from" : "band to",
         .unit = "Hz",
         .min = 20,
         .max = 20000,
         .meaning =
             low ? "Stretches only what is above this frequency." : "Stretches only what is below this frequency.",
         .group = "sound",
         .step = low ? 10.0 : 250.0,
         .nullable = true,
         .whenNull = "off",
         .fromNull = low ? std::pair(20.0, 80.0) : std::pair(12000.0, 20000.0)});
  }
  add({.key = "fade_in_beats",
       .label = "fade in",
       .unit = "beats",
       .max = 64,
       .initial = 0,
       .meaning = "Time to fade from the row to the stretched sound.",
       .group = "sound",
       .step = 0.25});
  add({.key = "fade_out_beats",
       .label = "fade out",
       .unit = "beats",
       .max = 64,
       .initial = 0,
       .meaning = "Time to fade from the stretched sound back to the row.",
       .group = "sound",
       .step = 0.25});
  return t;
}

const TableSpec& halftimeTable() {
  static const TableSpec t = makeHalftimeTable();
  return t;
}

double number(const Placed& p, const char* key) {
  return *settingOr(halftimeTable(), p.ornament.settings, key).number();
}

struct HalftimeSettings {
  bool keep = false;
  double mix = 1;
  std::optional<double> low, high;
  std::int64_t fadeIn = 0, fadeOut = 0;
  bool banded() const { return low || high; }

  static HalftimeSettings of(const Placed& p) {
    HalftimeSettings s;
    s.keep = *settingOr(halftimeTable(), p.ornament.settings, "pitch").text() == "keep";
    s.mix = number(p, "mix_percent") / 100;
    if (const double* d = settingOr(halftimeTable(), p.ornament.settings, "low_hz").number()) s.low = *d;
    if (const double* d = settingOr(halftimeTable(), p.ornament.settings, "high_hz").number()) s.high = *d;
    const FrameRange span = p.span();
    s.fadeIn = (p.map.frameAt(p.ornament.start + Beats::ofQuarters(number(p, "fade_in_beats"))) - span.begin).count;
    s.fadeOut =
        (span.end - p.map.frameAt(p.ornament.span().end - Beats::ofQuarters(number(p, "fade_out_beats")))).count;
    const std::int64_t n = span.length();
    if (s.fadeIn + s.fadeOut > n) {
      const std::int64_t both = s.fadeIn + s.fadeOut;
      s.fadeIn = n * s.fadeIn / both;
      s.fadeOut = n - s.fadeIn;
    }
    return s;
  }
};

/// How far the slowed sound has come in, 0..1, and the row's share beside it. On the span's first frame both sound the
/// same frame of the row, so that without a fade it may begin at once (stretched at its pitch: within 2 ms); at the end
/// it gives way within the join.
class Share {
 public:
  Share(const Placed& p, const HalftimeSettings& s, std::int64_t join)
      : span_(p.span())
      , in_(s.fadeIn > 0 || !s.keep ? s.fadeIn : std::llround(kFadeInSeconds * p.sampleRate()))
      , out_(s.fadeOut > 0 ? s.fadeOut : std::min(join, span_.length() / 2))
      , mix_(s.mix) {}
  /// Gain of the row's dry plane: what the plan says.
  GainSegments dry() const {
    if (mix_ == 0) return {};
    return turnedDown(span_, 1 - mix_, in_, out_);
  }
  double dryAt(Frames f) const { return 1 - mix_ * windowAt(f); }
  /// The slowed sound's gain: what the row gives up, at equal power where it is all the row there is.
  double wetAt(Frames f) const {
    const double w = windowAt(f);
    return mix_ * std::sqrt(1 - (1 - w) * (1 - w));
  }

 private:
  double windowAt(Frames f) const {
    const auto from = static_cast<double>((f - span_.begin).count), left = static_cast<double>((span_.end - f).count);
    double w = 1;
    if (in_ > 0) w *= raisedCosine(from / static_cast<double>(in_));
    if (out_ > 0) w *= raisedCosine(left / static_cast<double>(out_));
    return w;
  }
  FrameRange span_;
  std::int64_t in_, out_;
  double mix_;
};

/// What is read on both sides of the span.
std::int64_t framesAround(const Placed& p) {
  return std::llround(kFilterSeconds * p.sampleRate()) + Stretch::around(p.sampleRate()) +
         2 * std::llround(kMostShiftSeconds * p.sampleRate()) + 4 * SpeedReader::kReach + kPrintBlock;
}

OwnOrPieces slowedSource(const Placed& p) {
  const Frames around(framesAround(p));
  return {p, {p.span().begin - around, p.span().end + around}};
}

/// What is slowed: the row, or a band of it, by song frame counted from the span's begin. Filtered once, from the first
/// frame on; kept as long as it may be asked for again.
class Slowed {
 public:
  Slowed(const Placed& p, const HalftimeSettings& s, Sounds& sounds, std::int64_t before)
      : sounds_(sounds)
      , source_(slowedSource(p))
      , first_(-before) {
    if (s.banded()) split_.emplace(s.low, s.high, p.sampleRate());
  }
  /// Frames from..from+n−1; without a band any, with one none that lie before what was let go.
  void read(std::int64_t from, StereoSpan out) {
    if (!split_) return source_.read(sounds_, from, out);
    fillTo(from + out.frames);
    band_.read(from - first_, out);
  }
  /// Everything before `from` will not be asked for any more.
  void letGo(std::int64_t from) {
    const std::int64_t gone = std::min(from - first_, band_.frames());
    if (!split_ || gone < 65536) return;
    const std::int64_t n = band_.frames() - gone;
    for (float* side : {band_.left(), band_.right()}) std::copy_n(side + gone, n, side);
    band_.resize(n);
    for (float* side : {rest_.left(), rest_.right()}) std::copy_n(side + gone, n, side);
    rest_.resize(n);
    first_ += gone;
  }
  bool banded() const { return split_.has_value(); }
  /// What is left of the row beside the band, and the band itself unslowed.
  void readRest(std::int64_t from, StereoSpan rest, StereoSpan band) {
    fillTo(from + rest.frames);
    for (std::int64_t i = 0; i < rest.frames; ++i) {
      const std::int64_t at = from + i - first_;
      rest.left[i] = rest_.left()[at];
      rest.right[i] = rest_.right()[at];
      band.left[i] = band_.left()[at];
      band.right[i] = band_.right()[at];
    }
  }

 private:
  void fillTo(std::int64_t end) {
    while (first_ + band_.frames() < end) {
      const std::int64_t at = band_.frames();
      band_.resize(at + kPrintBlock);
      rest_.resize(at + kPrintBlock);
      const StereoSpan band = band_.span().part(at, kPrintBlock), rest = rest_.span().part(at, kPrintBlock);
      source_.read(sounds_, first_ + at, band);
      split_->process(band, rest);
    }
  }

  Sounds& sounds_;
  OwnOrPieces source_;
  std::int64_t first_; // of what is kept
  std::optional<BandSplit> split_;
  StereoBuffer band_, rest_;
};

class HalftimeVoice : public AnyBlockVoice {
 public:
  HalftimeVoice(const Placed& p, Sounds& sounds, std::int64_t before)
      : cycles_(halftimeCycles(p))
      , settings_(HalftimeSettings::of(p))
      , share_(p, settings_, cycles_.join)
      , slowed_(p, settings_, sounds, before)
      , span_(p.span())
      , edge_(edgeFrames(p))
      , around_(before)
      , mostShift_(std::llround(kMostShiftSeconds * p.sampleRate()))
      , reader_([this](std::int64_t from, StereoSpan out) { slowed_.read(from, out); })
      , next_(kPrintBlock)
      , rest_(kPrintBlock)
      , plain_(kPrintBlock) {
    if (settings_.keep)
      for (auto& head : heads_)
        head.emplace(
            p.sampleRate(), cycles_.slower, 1.0, [this](std::int64_t from, StereoSpan out) { slowed_.read(from, out); },
            cycles_.join + 2 * mostShift_ + 4 * SpeedReader::kReach + kPrintBlock);
  }

  /// Every cycle begins anew: what lies before the one that sounds at `frame` need not be computed.
  bool seek(std::int64_t frame) override {
    if (slowed_.banded()) return false; // the filter remembers
    const auto begins = [&](std::size_t i) { return (cycles_.cycles[i].begin - span_.begin).count; };
    now_ = 0;
    while (now_ + 1 < cycles_.cycles.size() && begins(now_ + 1) <= frame) ++now_;
    return AnyBlockVoice::seek(frame);
  }

 protected:
  std::int64_t frames() const override { return span_.length(); }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    // Piece by piece: up to the next join or cycle.
    std::int64_t done = 0;
    while (done < n) {
      const std::int64_t f = at + done;
      const FrameRange cycle = cycles_.cycles[now_];
      const std::int64_t end = (cycle.end - span_.begin).count;
      if (f >= end) {
        ++now_;
        continue;
      }
      const std::int64_t join = joinAt(now_);
      const std::int64_t stop = std::min(n, (f < join ? join : end) - at);
      const StereoSpan piece = part.part(done, stop - done);
      if (f < join)
        head(now_, f, piece);
      else
        joined(f, piece);
      done = stop;
    }
    if (slowed_.banded()) slowed_.readRest(at, rest_.span().part(0, n), plain_.span().part(0, n));
    const bool rests = !slowed_.banded() && part.isSilent(); // hours of it cost little
    for (std::int64_t i = 0; i < n && !rests; ++i) {
      const Frames f = span_.begin + Frames(at + i);
      const auto wet = static_cast<float>(share_.wetAt(f));
      part.left[i] *= wet;
      part.right[i] *= wet;
      if (!slowed_.banded()) continue;
      // The dry row is gone; what lies beside the band stays, with the band's own dry share.
      const auto dry = static_cast<float>(share_.dryAt(f)), edge = static_cast<float>(edgeAt(at + i));
      part.left[i] = edge * (part.left[i] + rest_.left()[i] + dry * plain_.left()[i]);
      part.right[i] = edge * (part.right[i] + rest_.right()[i] + dry * plain_.right()[i]);
    }
    // The current cycle's heads read from its first part on.
    slowed_.letGo((cycles_.cycles[now_].begin - span_.begin).count - cycles_.join - 2 * mostShift_ - around_);
  }

 private:
  std::int64_t joinBefore(std::size_t i) const { return std::min(cycles_.join, cycles_.cycles[i].length() / 2); }
  /// Where cycle i + 1 begins to be heard over cycle i, in frames of the span; the last one's end.
  std::int64_t joinAt(std::size_t i) const {
    const std::int64_t begin = (cycles_.cycles[i].begin - span_.begin).count,
                       end = (cycles_.cycles[i].end - span_.begin).count;
    return i + 1 == cycles_.cycles.size() ? end : std::max(end - joinBefore(i), begin);
  }
  double edgeAt(std::int64_t f) const {
    const std::int64_t n = std::max<std::int64_t>(1, edge_);
    const double in = static_cast<double>(f) / static_cast<double>(n),
                 out = static_cast<double>(span_.length() - f) / static_cast<double>(n);
    return raisedCosine(in) * raisedCosine(out);
  }
  /// Where two cycles' sounds are joined: so far apart they are most alike, and how much.
  struct Join {
    std::size_t after = std::numeric_limits<std::size_t>::max(); // the cycle that ends
    double shift = 0, correlation = 0;
  };

  /// The present cycle's sound going over into the next one's. While they change places they are both moved, as far
  /// apart as makes them most alike (the search of waveform similarity overlap-add: W. Verhelst and M. Roelands, ICASSP
  /// 1993): the one that leaves more and more, the one that comes less and less, so that it is in its place at the end.
  void joined(std::int64_t f, StereoSpan out) {
    if (join_.after != now_) join_ = measureJoin();
    const std::int64_t join = joinAt(now_), end = (cycles_.cycles[now_].end - span_.begin).count;
    const auto way = [&](std::int64_t i) { return static_cast<double>(i) / static_cast<double>(end - join); };
    const StereoSpan incoming = next_.span().part(0, out.frames);
    moved(now_, f, way(f - join) * join_.shift, way(1) * join_.shift, out);
    moved(now_ + 1, f, (way(f - join) - 1) * join_.shift, way(1) * join_.shift, incoming);
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const JoinGains g = matchedPower(way(f + i - join), join_.correlation);
      const auto a = static_cast<float>(g.leaving), b = static_cast<float>(g.coming);
      out.left[i] = a * out.left[i] + b * incoming.left[i];
      out.right[i] = a * out.right[i] + b * incoming.right[i];
    }
  }

  Join measureJoin() {
    const std::int64_t join = joinAt(now_), n = (cycles_.cycles[now_].end - span_.begin).count - join;
    const std::int64_t most = mostShift(n);
    StereoBuffer leaving(n), coming(n + 2 * most);
    head(now_, join, leaving.span());
    head(now_ + 1, join - most, coming.span());
    const std::int64_t step = std::max<std::int64_t>(1, n / kCompared);
    Join best{now_, 0, -2};
    double atRest = 0;
    for (std::int64_t shift = -most; shift <= most; ++shift) {
      double both = 0, a = 1e-12, b = 1e-12;
      for (std::int64_t i = 0; i < n; i += step)
        for (const auto& [x, y] : {std::pair(leaving.left(), coming.left()), {leaving.right(), coming.right()}}) {
          const auto l = static_cast<double>(x[i]), c = static_cast<double>(y[i + most - shift]);
          both += l * c;
          a += l * l;
          b += c * c;
        }
      const double alike = both / std::sqrt(a * b);
      if (shift == 0) atRest = alike;
      // Of those all but as good the one that moves least.
      if (alike > best.correlation + 1e-3 ||
          (alike > best.correlation - 1e-3 && std::abs(shift) < std::abs(static_cast<std::int64_t>(best.shift))))
        best = {now_, static_cast<double>(shift), alike};
    }
    if (best.correlation < kAlike) best = {now_, 0, atRest};
    best.correlation = std::clamp(best.correlation, 0.0, 1.0);
    return best;
  }

  std::int64_t mostShift(std::int64_t joinFrames) const {
    return std::min(mostShift_, static_cast<std::int64_t>(kMostShiftOfJoin * static_cast<double>(joinFrames)));
  }

  /// Cycle i's sound from frame f of the span on, as if it came sooner by `by` frames, and by `rise` more each frame.
  void moved(std::size_t i, std::int64_t f, double by, double rise, StereoSpan out) {
    if (by == 0 && rise == 0) return head(i, f, out);
    SpeedReader reader([this, i](std::int64_t from, StereoSpan to) { head(i, from, to); });
    for (std::int64_t k = 0; k < out.frames; ++k) {
      warped_[static_cast<std::size_t>(k)] = static_cast<double>(f + k) + by + rise * static_cast<double>(k);
      pace_[static_cast<std::size_t>(k)] = 1 + rise;
    }
    reader.read(warped_.data(), pace_.data(), out);
  }

  /// The slowed sound of cycle i at frame f of the span.
  void head(std::size_t i, std::int64_t f, StereoSpan out) {
    const std::int64_t cycleBegin = (cycles_.cycles[i].begin - span_.begin).count;
    if (settings_.keep) {
      // A later cycle is joined to the one before it, so its sound begins earlier.
      const std::int64_t heardFrom = i == 0 ? 0 : joinAt(i - 1) - mostShift_ - 2 * SpeedReader::kReach;
      Stretch& s = *heads_[i % 2];
      if (std::exchange(headCycle_[i % 2], static_cast<std::int64_t>(i)) != static_cast<std::int64_t>(i))
        s.begin(cycleBegin - std::llround(static_cast<double>(cycleBegin - heardFrom) / cycles_.slower));
      const std::int64_t none = std::clamp<std::int64_t>(heardFrom - f, 0, out.frames);
      out.part(0, none).clear();
      if (none < out.frames) s.read(f + none - heardFrom, out.part(none, out.frames - none));
      return;
    }
    const double speed = 1 / cycles_.slower;
    for (std::int64_t done = 0; done < out.frames;) {
      const std::int64_t n = std::min(out.frames - done, kPrintBlock);
      for (std::int64_t k = 0; k < n; ++k) {
        place_[static_cast<std::size_t>(k)] =
            static_cast<double>(cycleBegin) + static_cast<double>(f + done + k - cycleBegin) * speed;
        speed_[static_cast<std::size_t>(k)] = speed;
      }
      reader_.read(place_.data(), speed_.data(), out.part(done, n));
      done += n;
    }
  }

  HalftimeCycles cycles_;
  HalftimeSettings settings_;
  Share share_;
  Slowed slowed_;
  FrameRange span_;
  std::int64_t edge_, around_, mostShift_;
  SpeedReader reader_;
  std::optional<Stretch> heads_[2];
  std::int64_t headCycle_[2] = {-1, -1};
  StereoBuffer next_, rest_, plain_;
  std::array<double, kPrintBlock> place_{}, speed_{}, warped_{}, pace_{};
  Join join_;
  std::size_t now_ = 0;
};

} // namespace

namespace {

/// Where cycles end. Every turn is taken from the tempo map: the beat is computed anew, never added up from frames.
class Turns {
 public:
  explicit Turns(const Placed& p)
      : map_(p.map)
      , start_(p.ornament.start)
      , first_(p.map.frameAt(start_)) {
    const Value& cycle = settingOr(halftimeTable(), p.ornament.settings, "cycle");
    if (const double* ms = cycle.number())
      frames_ = *ms / 1000 * p.sampleRate();
    else
      length_ = NoteValue::parse(*cycle.text())->beats(p.map, start_).value();
  }
  Frames at(std::int64_t k) const {
    if (length_.ticks > 0) return map_.frameAt(start_ + Beats(k * length_.ticks));
    return first_ + Frames(std::llround(static_cast<double>(k) * frames_));
  }

 private:
  const TempoMap& map_;
  Beats start_, length_{0};
  Frames first_;
  double frames_ = 0;
};

std::int64_t joinOf(const Placed& p) {
  return std::llround(number(p, "join_ms") / 1000 * p.sampleRate());
}

/// Shorter ones are joined to the next.
std::int64_t leastCycle(double rate) {
  return std::max<std::int64_t>(1, std::llround(0.001 * rate));
}

} // namespace

HalftimeCycles halftimeCycles(const Placed& p) {
  HalftimeCycles h;
  h.slower = number(p, "slower");
  h.join = joinOf(p);
  const FrameRange span = p.span();
  const Turns turns(p);
  const std::int64_t least = leastCycle(p.sampleRate());
  Frames begin = span.begin;
  for (std::int64_t k = 1; begin < span.end; ++k) {
    if (h.cycles.size() == kMostCycles) {
      h.tooMany = true;
      return h;
    }
    const Frames end = std::min(span.end, turns.at(k));
    if ((end - begin).count < least && end < span.end) continue;
    h.cycles.push_back({begin, end});
    begin = end;
  }
  return h;
}

const TableSpec& Halftime::table() const {
  return halftimeTable();
}

PrintPlan Halftime::plan(const Placed& p) const {
  PrintPlan plan;
  plan.extent = p.span();
  plan.reads = slowedSource(p).reads();
  const HalftimeSettings s = HalftimeSettings::of(p);
  const Turns turns(p);
  const FrameRange first{plan.extent.begin, std::min(plan.extent.end, turns.at(1))};
  // The last that there may be ends before the span does. Only where some are joined they must be counted.
  const bool tooMany = turns.at(static_cast<std::int64_t>(kMostCycles)) < plan.extent.end &&
                       (first.length() >= 2 * leastCycle(p.sampleRate()) || halftimeCycles(p).tooMany);
  if (tooMany) {
    plan.sounds = false;
    plan.refusal = worded("has more than %1 cycles. Use a longer cycle or a shorter ornament", kMostCycles);
    return plan;
  }
  plan.anyOrder = !s.banded();
  if (s.keep && static_cast<double>(first.length()) < kLeastKeptSeconds * p.sampleRate()) {
    plan.sounds = false;
    plan.refusal = worded("a cycle under 20 ms cannot be stretched with its pitch kept. Use a longer cycle");
    return plan;
  }
  if (s.banded()) {
    const std::int64_t edge = edgeFrames(p);
    plan.dry = plan.wet = turnedDown(plan.extent, 0, edge, edge);
  } else {
    plan.dry = plan.wet = Share(p, s, joinOf(p)).dry();
  }
  return plan;
}

std::unique_ptr<Voice> Halftime::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<HalftimeVoice>(p, sounds, framesAround(p));
}

} // namespace ivrin
