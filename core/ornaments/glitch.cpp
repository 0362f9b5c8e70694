#include "ornaments/glitch.h"

#include "audio/chance.h"
#include "dsp/dynamics/crush.h"
#include "dsp/filter/svf.h"
#include "dsp/speed/speed_reader.h"
#include "ornaments/any_block.h"
#include "ornaments/hand_over.h"
#include "ornaments/list_cells.h"
#include "ornaments/loop.h"
#include "ornaments/source.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace ivrin {
namespace {

constexpr double kJoinSeconds = 0.005;  // within a loop, from its end to its begin; a quarter of it at most
constexpr std::int64_t kPart = 512;     // frames in which a frozen step is computed, from its own begin
constexpr std::int64_t kSweepGrid = 16; // frames on which the band stands still
constexpr double kMostMakeUp = 2;       // of a narrow band, which is softer than all of the sound
constexpr double kWholeBand = 0.3;      // the resonance from which on nothing but the band is heard
constexpr double kLongestLoop = 10;     // seconds, however long a note value is

void addGlitchChance(TableSpec& t) {
  t.add({.key = "step",
         .label = "cell length",
         .type = type::time,
         .min = 1,
         .max = 960000,
         .initial = "1/16",
         .meaning = "Length of a cell, counted from the bar line: shorter is busier.",
         .group = "chance"});
  t.add({.key = "bars",
         .label = "pattern length",
         .type = type::integer,
         .min = 1,
         .max = 8,
         .initial = 1,
         .meaning = "Number of bars after which the chances start again.",
         .group = "chance",
         .role = Role::leftAlone});
  t.add({.key = "chance_percent",
         .label = "chance per cell",
         .unit = "%",
         .max = 100,
         .initial = List{0.0},
         .meaning = "Probability that a cell freezes; the list repeats from the start of the bar.",
         .group = "chance",
         .step = 5,
         .shape = Shape::list});
}

void addGlitchFrozen(TableSpec& t) {
  t.add({.key = "loop",
         .label = "loop length",
         .type = type::time,
         .min = 2,
         .max = 4000,
         .initial = List{30.0, 120.0},
         .meaning = "Shortest and longest loop of a frozen cell: shorter sounds more like a tone.",
         .group = "frozen",
         .shape = Shape::pair});
  t.add({.key = "pitch_spread_semitones",
         .label = "pitch spread",
         .unit = "st",
         .max = 24,
         .initial = 5,
         .meaning = "Largest pitch change of a frozen cell, up or down.",
         .group = "frozen"});
  t.add({.key = "glide_percent",
         .label = "glide",
         .unit = "%",
         .max = 100,
         .initial = 0,
         .meaning = "Part of the cell that it takes to reach its new pitch.",
         .group = "frozen",
         .step = 5});
  t.add({.key = "mix_percent",
         .label = "mix",
         .unit = "%",
         .max = 100,
         .initial = 100,
         .meaning = "How much of a frozen cell replaces the row.",
         .group = "frozen",
         .step = 5,
         .role = Role::leftAlone});
  t.add({.key = "kept_ms",
         .label = "locked loops",
         .unit = "ms",
         .min = 2,
         .max = 1000 * kLongestLoop,
         .meaning = "Loop length of each cell of a locked roll; an empty cell plays on.",
         .group = "frozen",
         .shape = Shape::list,
         .entriesNullable = true,
         .nullable = true,
         .whenNull = "by chance",
         .role = Role::leftAlone,
         .since = 2});
  t.add({.key = "kept_semitones",
         .label = "locked pitches",
         .unit = "st",
         .min = -24,
         .max = 24,
         .initial = List{0.0},
         .meaning = "Pitch of each cell of a locked roll; the list repeats.",
         .group = "frozen",
         .shape = Shape::list,
         .role = Role::leftAlone,
         .since = 2});
}

void addGlitchColour(TableSpec& t) {
  t.add({.key = "resonance_percent",
         .label = "band-pass",
         .unit = "%",
         .max = 95,
         .initial = 0,
         .meaning = "Width of the band that is heard of a frozen cell: higher is narrower, 0 % is off.",
         .group = "colour",
         .step = 5});
  t.add({.key = "sweep_hz",
         .label = "band-pass sweep",
         .unit = "Hz",
         .min = 20,
         .max = 20000,
         .initial = List{300.0, 6000.0},
         .meaning = "Frequencies from which and to which the band moves during a cell.",
         .group = "colour",
         .step = 100,
         .shape = Shape::pair});
  t.add({.key = "stereo_opposed",
         .label = "opposite L/R sweep",
         .type = type::yesNo,
         .initial = true,
         .meaning = "Moves the band in the opposite direction on the right.",
         .group = "colour"});
  t.add({.key = "bits",
         .label = "bit depth",
         .min = 4,
         .max = 24,
         .initial = 24,
         .meaning = "Resolution of the level: fewer bits sound grainier, 24 bits are clean.",
         .group = "colour"});
  t.add({.key = "rate_hz",
         .label = "sample rate",
         .unit = "Hz",
         .min = 500,
         .max = 192000,
         .meaning = "Rate at which the sound is sampled again: lower is duller and more metallic.",
         .group = "colour",
         .step = 500,
         .nullable = true,
         .whenNull = "full",
         .fromNull = std::pair(24000.0, 192000.0)});
}

TableSpec makeGlitchTable() {
  TableSpec t;
  t.id = "glitch";
  t.name = "Glitch";
  t.key = "G";
  t.meaning = "Freezes what was just played, cell by cell, by chance.";
  addGlitchChance(t);
  addGlitchFrozen(t);
  addGlitchColour(t);
  return t;
}

const TableSpec& glitchTable() {
  static const TableSpec t = makeGlitchTable();
  return t;
}

SettingsView glitchSettings(const Placed& p) {
  return {glitchTable(), p.ornament.settings};
}

std::int64_t fadeOf(const GlitchShape& shape, std::int64_t k, double rate) {
  return std::min<std::int64_t>(std::llround(kFadeInSeconds * rate), shape.frames(k).length() / 2);
}

/// Frames before a frozen step in which it comes in: within the step before it.
std::int64_t fadeBefore(const GlitchShape& shape, std::int64_t k, double rate) {
  if (k > shape.first()) return fadeOf(shape, k - 1, rate);
  return entryBefore(shape.frames(k).begin, fadeOf(shape, k, rate));
}

/// What of the row may be frozen.
FrameRange glitchReach(const Placed& p, const GlitchShape& shape) {
  const double longest = shape.longestLoop() + kJoinSeconds;
  const FrameRange span = p.span();
  return {span.begin - Frames(std::llround(longest * p.sampleRate()) + 4), span.end};
}

/// What all frozen steps have in common.
struct FrozenColour {
  explicit FrozenColour(const Placed& p)
      : rate(p.sampleRate()) {
    const SettingsView s = glitchSettings(p);
    glide = s.share("glide_percent");
    mix = s.share("mix_percent");
    resonance = s.share("resonance_percent");
    const auto sweep = s.numbers("sweep_hz");
    low = sweep[0];
    high = sweep[1];
    opposed = s.yes("stereo_opposed");
    steps = crushSteps(s.number("bits"));
    hold = s.maybe("rate_hz");
  }
  double narrowness() const { return 0.7 * std::pow(30, resonance); } // q: from wide to 18
  double rate, glide, mix, resonance, low, high;
  bool opposed;
  double steps; // of the crush
  std::optional<double> hold;
};

/// One frozen step, computed from its own begin on; any part of it can be asked for, forwards fastest.
class FrozenSound {
 public:
  /// `row` reads from the span's begin on, and before it.
  FrozenSound(const FrozenColour& colour, const GlitchShape& shape, std::int64_t step, const FrozenStep& drawn,
              const std::function<void(std::int64_t from, StereoSpan out)>& row)
      : colour_(colour)
      , step_(step)
      , before_(fadeBefore(shape, step, colour.rate))
      , frames_(shape.frames(step).length())
      , speed_(std::exp2(drawn.semitones / 12))
      , glide_(colour.glide * static_cast<double>(frames_))
      , loop_(std::llround(drawn.loopSeconds * colour.rate), std::llround(kJoinSeconds * colour.rate),
              (shape.frames(step).begin - shape.frames(shape.first()).begin).count -
                  std::max<std::int64_t>(2, std::llround(drawn.loopSeconds * colour.rate)),
              row)
      , reader_([this](std::int64_t from, StereoSpan out) { loop_.read(from, out); }) {
    restart();
  }
  std::int64_t step() const { return step_; }
  /// Frames from..from+out.frames−1 after the step's begin; from −before on.
  void read(std::int64_t from, StereoSpan out) {
    for (std::int64_t done = 0; done < out.frames;) {
      const std::int64_t part = (from + done + before_) / kPart;
      if (part < part_) restart();
      while (part_ < part) next();
      const std::int64_t in = from + done + before_ - part * kPart, n = std::min(kPart - in, out.frames - done);
      std::copy_n(sound_.left() + in, n, out.left + done);
      std::copy_n(sound_.right() + in, n, out.right + done);
      done += n;
    }
  }

 private:
  void restart() {
    part_ = -1;
    band_.emplace(StereoSvf::Pass::band, colour_.low, colour_.high, colour_.rate, colour_.narrowness());
    crush_.emplace(colour_.steps, colour_.hold, colour_.rate);
    next();
  }
  void next() {
    ++part_;
    const StereoSpan io = sound_.span();
    const std::int64_t from = part_ * kPart - before_;
    if (speed_ == 1) {
      loop_.read(from, io);
    } else {
      for (std::int64_t i = 0; i < kPart; ++i) {
        const double t = static_cast<double>(from + i);
        // In the glide the speed goes straight from 1 to its own.
        const double v = t >= glide_ ? speed_ : t <= 0 ? 1 : 1 + (speed_ - 1) * t / glide_;
        const double gone = t >= glide_ ? speed_ * t - (speed_ - 1) * glide_ / 2
                            : t <= 0    ? t
                                        : t + (speed_ - 1) * t * t / (2 * glide_);
        position_[static_cast<std::size_t>(i)] = gone;
        speedAt_[static_cast<std::size_t>(i)] = v;
      }
      reader_.read(position_.data(), speedAt_.data(), io);
    }
    if (colour_.resonance > 0) sweep(from, io);
    if (colour_.steps > 0 || colour_.hold) crush_->process(io);
  }
  void sweep(std::int64_t from, StereoSpan io) {
    const auto makeUp = static_cast<float>(std::min(kMostMakeUp, std::sqrt(colour_.narrowness() / 0.7))),
               wet = static_cast<float>(std::min(1.0, colour_.resonance / kWholeBand));
    for (std::int64_t i = 0; i < io.frames; i += kSweepGrid) {
      const double u = std::clamp(static_cast<double>(from + i) / static_cast<double>(frames_), 0.0, 1.0);
      const auto at = [&](double x) { return colour_.low * std::pow(colour_.high / colour_.low, x); };
      band_->setCutoff(at(u), colour_.opposed ? at(1 - u) : at(u));
      float left[kSweepGrid], right[kSweepGrid];
      std::copy_n(io.left + i, kSweepGrid, left);
      std::copy_n(io.right + i, kSweepGrid, right);
      band_->process(left, right, kSweepGrid);
      for (std::int64_t k = 0; k < kSweepGrid; ++k) {
        io.left[i + k] += wet * (makeUp * left[k] - io.left[i + k]);
        io.right[i + k] += wet * (makeUp * right[k] - io.right[i + k]);
      }
    }
  }

  const FrozenColour& colour_;
  std::int64_t step_, before_, frames_;
  double speed_, glide_;
  SoundLoop loop_; // of what was just heard
  std::optional<StereoSvf> band_;
  std::optional<Crush> crush_;
  SpeedReader reader_;
  StereoBuffer sound_{kPart};
  std::int64_t part_ = -1;
  std::array<double, kPart> position_{}, speedAt_{};
};

class GlitchVoice : public AnyBlockVoice {
 public:
  GlitchVoice(const Placed& p, Sounds& sounds)
      : sounds_(sounds)
      , colour_(p)
      , shape_(p)
      , source_(p, glitchReach(p, shape_))
      , begin_(p.span().begin - Frames(fadeBefore(shape_, shape_.first(), colour_.rate)))
      , length_((p.span().end - begin_).count) {}

 protected:
  std::int64_t frames() const override { return length_; }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    part.clear();
    const FrameRange block{begin_ + Frames(at), begin_ + Frames(at + n)};
    for (std::int64_t k = std::max(shape_.first(), shape_.grid().at(block.begin)); k < shape_.end(); ++k) {
      if (shape_.frames(k).begin - Frames(fadeBefore(shape_, k, colour_.rate)) >= block.end) break;
      if (const auto drawn = shape_.drawn(k)) play(k, *drawn, block.begin, part);
    }
  }

 private:
  void play(std::int64_t k, const FrozenStep& drawn, Frames first, StereoSpan out) {
    const FrameRange step = shape_.frames(k);
    const HandOver edge{fadeBefore(shape_, k, colour_.rate), fadeOf(shape_, k, colour_.rate),
                        k > shape_.first() && shape_.drawn(k - 1), k + 1 < shape_.end() && shape_.drawn(k + 1)};
    const std::int64_t from = std::max(-edge.in, (first - step.begin).count),
                       to = std::min(step.length(), (first - step.begin).count + out.frames);
    if (from >= to) return;
    FrozenSound& sound = frozen(k, drawn);
    const StereoSpan mine = part_.span().part(0, to - from);
    sound.read(from, mine);
    const std::int64_t at = from - (first - step.begin).count;
    for (std::int64_t i = 0; i < mine.frames; ++i) {
      const float g = static_cast<float>(colour_.mix) * static_cast<float>(edge.at(from + i, step.length()));
      out.left[at + i] += g * mine.left[i];
      out.right[at + i] += g * mine.right[i];
    }
  }
  /// Two at most sound in a block of a long step; those of short ones are soon made.
  FrozenSound& frozen(std::int64_t k, const FrozenStep& drawn) {
    auto& place = sounding_[static_cast<std::size_t>(k) % sounding_.size()];
    if (!place || place->step() != k)
      place = std::make_unique<FrozenSound>(
          colour_, shape_, k, drawn, [this](std::int64_t from, StereoSpan out) { source_.read(sounds_, from, out); });
    return *place;
  }

  Sounds& sounds_;
  FrozenColour colour_;
  GlitchShape shape_;
  OwnOrPieces source_;
  Frames begin_;
  std::int64_t length_;
  std::array<std::unique_ptr<FrozenSound>, 2> sounding_;
  StereoBuffer part_{kPrintBlock};
};

} // namespace

GlitchShape::GlitchShape(const Placed& p)
    : map_(p.map)
    , grid_(p.map, p.map.barStart(p.map.barAt(p.ornament.start).bar), glitchSettings(p).value("step"))
    , span_(p.span())
    , seed_(static_cast<std::uint64_t>(p.ornament.seed)) {
  const SettingsView s = glitchSettings(p);
  firstBar_ = map_.barAt(p.ornament.start).bar;
  first_ = grid_.at(span_.begin);
  end_ = span_.empty() ? first_ : grid_.at(span_.end - Frames(1)) + 1;
  bars_ = static_cast<std::int64_t>(s.number("bars"));
  chances_ = s.numbers("chance_percent");
  const auto seconds = [&](const Value& v) {
    return v.number() ? *v.number() / 1000 : NoteValue::parse(*v.text())->seconds(map_, p.ornament.start).value;
  };
  const List& loop = *s.value("loop").list();
  std::tie(shortest_, longest_) = std::minmax({seconds(loop[0]), seconds(loop[1])});
  shortest_ = std::min(shortest_, kLongestLoop);
  longest_ = std::min(longest_, kLongestLoop);
  spread_ = s.number("pitch_spread_semitones");
  if (const List* kept = s.value("kept_ms").list()) {
    for (const Value& v : *kept) kept_.push_back(v.number() ? std::optional(*v.number() / 1000) : std::nullopt);
    keptSemitones_ = s.numbers("kept_semitones");
    for (const auto& one : kept_) longest_ = std::max(longest_, one.value_or(0));
  }
}

FrameRange GlitchShape::frames(std::int64_t k) const {
  return intersect({grid_.begin(k), grid_.begin(k + 1)}, span_);
}

std::int64_t GlitchShape::roundBegins(std::int64_t round) const {
  const Beats from = map_.barStart(firstBar_ + round * bars_);
  const std::int64_t k = grid_.at(map_.frameAt(from));
  return grid_.beat(k) < from ? k + 1 : k; // the first step from there on
}

std::size_t GlitchShape::place(std::int64_t k, std::size_t round) const {
  if (round == 1) return 0;
  const std::int64_t begin = roundBegins((map_.barAt(grid_.beat(k)).bar - firstBar_) / bars_);
  return static_cast<std::size_t>(std::max<std::int64_t>(0, k - begin)) % round;
}

double GlitchShape::usualLoop() const {
  return std::sqrt(shortest_ * longest_);
}

Pattern GlitchShape::pattern() const {
  Pattern all;
  if (kept())
    for (std::size_t i = 0; i < kept_.size(); ++i)
      all.push_back({.level = kept_[i] ? 1.0 : 0.0, .semitones = keptSemitones_[i % keptSemitones_.size()]});
  else
    for (const double c : chances_) all.push_back({.level = c / 100});
  return all;
}

Chance GlitchShape::chanceOf(std::int64_t k) const {
  return Chance(mix64(seed_ * 0x9e3779b97f4a7c15ULL + static_cast<std::uint64_t>(k)));
}

std::vector<bool> GlitchShape::freezing(std::size_t mostChanges) const {
  std::vector<bool> all;
  all.reserve(static_cast<std::size_t>(end_ - first_));
  const std::size_t list = chances_.size();
  const bool sameInAll = kept() || list == 1; // rounds
  std::int64_t round = 0, begin = 0, next = end_;
  if (!sameInAll) {
    round = (map_.barAt(grid_.beat(first_)).bar - firstBar_) / bars_;
    begin = roundBegins(round);
    next = roundBegins(round + 1);
  }
  std::size_t changes = 0;
  for (std::int64_t k = first_; k < end_ && changes <= mostChanges; ++k) {
    while (k >= next) begin = std::exchange(next, roundBegins(++round + 1));
    const double chance =
        sameInAll ? chances_[0] : chances_[static_cast<std::size_t>(std::max<std::int64_t>(0, k - begin)) % list];
    const bool now = kept() ? drawn(k).has_value() : chance > 0 && chanceOf(k).unit() < chance / 100;
    if (now != (!all.empty() && all.back())) ++changes;
    all.push_back(now);
  }
  return all;
}

std::optional<FrozenStep> GlitchShape::drawn(std::int64_t k) const {
  if (kept()) {
    const auto n = static_cast<std::size_t>(k);
    if (n >= kept_.size() || !kept_[n]) return std::nullopt;
    return FrozenStep{*kept_[n], keptSemitones_[n % keptSemitones_.size()]};
  }
  Chance draw = chanceOf(k);
  if (draw.unit() >= chances_[place(k, chances_.size())] / 100) return std::nullopt;
  FrozenStep f;
  f.loopSeconds = shortest_ * std::pow(longest_ / shortest_, draw.unit());
  // To a hundredth of a millisecond, as it is written down when it is kept.
  f.loopSeconds = std::round(f.loopSeconds * 1e5) / 100 / 1000;
  f.semitones = std::round((2 * draw.unit() - 1) * spread_);
  return f;
}

namespace {

/// A roll as it is written down, step by step; one without a loop plays on.
struct KeptRoll {
  List loops, pitches;
  void add(std::optional<double> loopSeconds, double semitones) {
    loops.emplace_back();
    if (loopSeconds) loops.back() = std::round(*loopSeconds * 1e5) / 100;
    pitches.emplace_back(semitones);
  }
  void writeTo(Ornament& o) {
    o.settings["kept_ms"] = std::move(loops);
    o.settings["kept_semitones"] = std::move(pitches);
  }
};

/// Cells of a glitch: their chances, or the steps of a roll that was kept.
class GlitchCells : public ListCells {
 public:
  GlitchCells(const Placed& p, GlitchShape shape)
      : ListCells(p, shape.grid(), p.span())
      , shape_(std::move(shape)) {}
  std::int64_t first() const override { return shape_.first(); }
  std::size_t place(std::int64_t k, std::size_t round) const override {
    return shape_.kept() ? static_cast<std::size_t>(k) % round : shape_.place(k, round);
  }
  Pattern pattern() const override { return shape_.pattern(); }
  Ornament with(const Pattern& p) const override {
    Ornament o = ornament();
    if (!shape_.kept()) {
      setList(o, "chance_percent", p,
              [](const PatternStep& s) { return Value(std::round(100 * std::min(s.level, 1.0))); });
      return o;
    }
    KeptRoll roll;
    const auto all = static_cast<std::size_t>(std::min<std::int64_t>(shape_.end(), kMostSteps));
    for (std::size_t k = 0; k < all; ++k) {
      const PatternStep& step = p[k % p.size()];
      const auto was = shape_.drawn(static_cast<std::int64_t>(k));
      const double loop = was ? was->loopSeconds : shape_.usualLoop();
      roll.add(step.sounds() ? std::optional(loop) : std::nullopt, step.semitones);
    }
    roll.writeTo(o);
    return o;
  }
  Has has() const override { return {.pitches = shape_.kept()}; }
  Roll roll() const override { return shape_.kept() ? Roll::kept : Roll::byChance; }
  std::optional<Ornament> withRoll(Roll wanted) const override {
    Ornament o = ornament();
    if (wanted == Roll::byChance) {
      o.settings.erase("kept_ms");
      o.settings.erase("kept_semitones");
      return o;
    }
    if (shape_.end() > static_cast<std::int64_t>(kMostSteps)) return std::nullopt;
    KeptRoll kept;
    for (std::int64_t k = 0; k < shape_.end(); ++k) {
      const auto drawn = k >= first() ? shape_.drawn(k) : std::nullopt;
      kept.add(drawn ? std::optional(drawn->loopSeconds) : std::nullopt, drawn ? drawn->semitones : 0.0);
    }
    kept.writeTo(o);
    return o;
  }

 private:
  GlitchShape shape_;
};

} // namespace

std::unique_ptr<Cells> Glitch::cells(const Placed& p) const {
  return std::make_unique<GlitchCells>(p, GlitchShape(p));
}

const TableSpec& Glitch::table() const {
  return glitchTable();
}

PrintPlan Glitch::plan(const Placed& p) const {
  const GlitchShape shape(p);
  const double rate = p.sampleRate();
  PrintPlan plan;
  if (shape.end() - shape.first() > GlitchShape::kMost) {
    plan.refusal = worded("has more than %1 cells. Use longer cells or a shorter ornament", GlitchShape::kMost);
    plan.sounds = false;
    return plan;
  }
  plan.extent = {p.span().begin - Frames(fadeBefore(shape, shape.first(), rate)), p.span().end};
  plan.anyOrder = true;
  plan.reads = OwnOrPieces(p, glitchReach(p, shape)).reads();
  const double rest = 1 - glitchSettings(p).share("mix_percent");
  std::vector<GainSegments::Point> points;
  bool frozen = false;
  const std::vector<bool> freezes = shape.freezing(kMostSegments / 2); // a change is two points; more are refused
  for (std::int64_t k = shape.first(); k < shape.first() + std::ssize(freezes); ++k) {
    const bool now = freezes[static_cast<std::size_t>(k - shape.first())];
    if (now && !frozen) {
      const Frames at = shape.frames(k).begin;
      points.push_back({at - Frames(fadeBefore(shape, k, rate)), 1});
      points.push_back({at, rest});
    }
    if (frozen && !now) {
      const Frames at = shape.frames(k).begin;
      points.push_back({at - Frames(fadeOf(shape, k - 1, rate)), rest});
      points.push_back({at, 1});
    }
    frozen = now;
  }
  if (frozen) {
    points.push_back({p.span().end - Frames(fadeOf(shape, shape.end() - 1, rate)), rest});
    points.push_back({p.span().end, 1});
  }
  plan.dry = plan.wet = GainSegments(std::move(points));
  return plan;
}

std::unique_ptr<Voice> Glitch::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<GlitchVoice>(p, sounds);
}

} // namespace ivrin
