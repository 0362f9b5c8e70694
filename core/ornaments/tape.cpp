#include "ornaments/tape.h"

#include "dsp/filter/rumble_cut.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/stretch.h"
#include "ornaments/source.h"
#include "words/words.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kLeastMeanSpeed = 0.05;          // slower on the whole, an extended motion would take for ever
constexpr double kStillSpeed = 0.02;              // a tape that hardly moves makes no sound, whatever `fade` says
constexpr double kBottomSeconds = 0.02;           // the dip's crossfade
constexpr double kSlow = 0.6, kNearlyFull = 0.95; // speeds between which what sinks under hearing begins to be cut
constexpr double kReturnSeconds = 0.002;          // of the dry row before the end, where it does not come back in phase

TableSpec makeTapeTable() {
  TableSpec t;
  t.id = "tape";
  t.name = "Tape";
  t.key = "E";
  t.meaning = "Stops, starts, dips or spins back the row like a tape machine.";
  const auto add = [&](SettingSpec s) -> SettingSpec& {
    t.settings.push_back(std::move(s));
    return t.settings.back();
  };
  add({.key = "shape",
       .label = "shape",
       .type = type::choice,
       .initial = "stop",
       .meaning = "Course of the speed.",
       .group = "motion",
       .choices = {"stop", "start", "dip", "spin-back", "custom"},
       .notByChance = {"custom"}});
  add({.key = "fit",
       .label = "length",
       .type = type::choice,
       .initial = "span",
       .meaning = "Whether the motion fits the span, or lasts until the whole source has been played.",
       .group = "motion",
       .choices = {"span", "extend"},
       .shown = {"fit span", "whole source"},
       .role = Role::leftAlone});
  add({.key = "bend",
       .label = "bend",
       .min = -1,
       .max = 1,
       .initial = 0.5,
       .meaning = "Shape of the motion: above 0 the speed holds and then drops, below 0 it drops at once.",
       .group = "motion",
       .step = 0.05});
  add({.key = "lowest",
       .label = "lowest speed",
       .max = 1,
       .initial = 0,
       .meaning = "Lowest speed of the motion, relative to the speed of the row.",
       .group = "motion",
       .percent = true,
       .step = 0.05});
  add({.key = "bottom_at",
       .label = "turning point",
       .max = 1,
       .initial = 0.6,
       .meaning = "Where in the motion a dip is slowest, or a spin-back turns.",
       .group = "motion",
       .percent = true,
       .step = 0.05});
  add({.key = "halt_at",
       .label = "motion length",
       .min = 0.01,
       .max = 1,
       .initial = 1,
       .meaning = "Part of the span that the motion takes. After it the row returns or stays silent.",
       .group = "motion",
       .percent = true,
       .step = 0.05,
       .role = Role::leftAlone});
  add({.key = "hold_silence",
       .label = "mute to end",
       .type = type::yesNo,
       .initial = false,
       .meaning = "Mutes the row from the end of the motion to the end of the span.",
       .group = "motion",
       .role = Role::leftAlone});
  add({.key = "speed",
       .label = "speed",
       .min = -SpeedReader::kFastest,
       .max = SpeedReader::kFastest,
       .initial = 1,
       .meaning = "Speed of a custom motion, relative to the row. Below 0 it plays backwards.",
       .group = "sound",
       .percent = true,
       .step = 0.1,
       .usual = std::pair(-1.0, 1.0),
       .curve = true,
       .curveOverSpan = true,
       .role = Role::leftAlone});
  add({.key = "fade",
       .label = "fade",
       .unit = "%",
       .max = 100,
       .initial = 100,
       .meaning = "How far the level falls with the speed.",
       .group = "sound",
       .step = 5,
       .role = Role::leftAlone});
  add({.key = "pitch_lock",
       .label = "pitch only",
       .type = type::yesNo,
       .initial = false,
       .meaning = "Keeps the timing of the row and moves only its pitch.",
       .group = "sound"});
  add({.key = "lowest_semitones",
       .label = "target pitch",
       .unit = "st",
       .min = -48,
       .max = 48,
       .initial = -24,
       .meaning = "Pitch that the row glides to while its timing is kept.",
       .group = "sound"});
  return t;
}

const TableSpec& tapeTable() {
  static const TableSpec t = makeTapeTable();
  return t;
}

double number(const Settings& s, const char* key) {
  return *settingOr(tapeTable(), s, key).number();
}

TapeMotion::Shape shapeOf(const Settings& s) {
  const std::string& name = *settingOr(tapeTable(), s, "shape").text();
  return name == "start"       ? TapeMotion::Shape::start
         : name == "dip"       ? TapeMotion::Shape::dip
         : name == "spin-back" ? TapeMotion::Shape::spinBack
         : name == "custom"    ? TapeMotion::Shape::custom
                               : TapeMotion::Shape::stop;
}

/// What may be played of its own row: heard beyond the span's edges, so that the seams have no step.
FrameRange tapeReach(const Placed& p, const TapeMotion& m) {
  constexpr int kSpare = 4096; // positions between the places at which the curve's extremes were looked for
  const Frames begin = p.span().begin;
  const double length = static_cast<double>(m.frames.length());
  double low = 0, high = 0;
  if (m.pitchLock) {
    const auto around =
        static_cast<double>(Stretch::around(p.sampleRate(), std::exp2(std::min(m.lowestSemitones, 0.0) / 12)));
    low = -around;
    high = length + around;
  } else {
    const double shift = m.positionArriving(1) - m.positionLeaving(1);
    low = (m.positionLeaving(0) - static_cast<double>(begin.count)) + m.speed.lowest() * length + std::min(0.0, shift);
    high =
        (m.positionLeaving(0) - static_cast<double>(begin.count)) + m.speed.highest() * length + std::max(0.0, shift);
    low -= SpeedReader::kReach + kSpare;
    high += SpeedReader::kReach + kSpare;
  }
  return {begin + Frames(static_cast<std::int64_t>(std::floor(low))),
          begin + Frames(static_cast<std::int64_t>(std::ceil(high)))};
}

/// The edges of the print: where it leaves and meets the row in phase there is nothing to hide.
struct TapeEdges {
  std::int64_t printIn = 0, printOut = 0, dryOut = 0, dryIn = 0;
  TapeEdges(const Placed& p, const TapeMotion& m) {
    const auto frames = [&](double seconds) { return std::llround(seconds * p.sampleRate()); };
    const bool own = p.ornament.source.empty() && !m.pitchLock;
    const bool leaves = own && m.shape != TapeMotion::Shape::start && m.speed.speed(0) == 1;
    const bool arrives = own && (m.shape == TapeMotion::Shape::start || m.shape == TapeMotion::Shape::dip);
    if (!leaves) printIn = dryOut = frames(kFadeInSeconds);
    if (m.shape == TapeMotion::Shape::start) dryOut = frames(kFadeOutSeconds);
    if (!arrives) {
      printOut = frames(kFadeOutSeconds);
      dryIn = frames(kReturnSeconds);
    }
    const std::int64_t n = m.frames.length();
    printIn = std::min(printIn, n / 2);
    printOut = std::min(printOut, n / 2);
  }
};

class TapeVoice : public Voice {
 public:
  TapeVoice(const Placed& p, Sounds& sounds)
      : sounds_(sounds)
      , motion_(tapeMotion(p))
      , source_(p, tapeReach(p, motion_))
      , edges_(p, motion_)
      , begin_(static_cast<double>(p.span().begin.count))
      , frames_(motion_.frames.length())
      , bottomHalf_(std::min<std::int64_t>(std::llround(kBottomSeconds * p.sampleRate() / 2), frames_ / 2))
      , reader_([this](std::int64_t from, StereoSpan out) { source_.read(sounds_, from, out); })
      , other_(kPrintBlock)
      , rumble_(p.sampleRate()) {
    if (!motion_.pitchLock) return;
    stretch_.emplace(p.sampleRate(), 1.0, 1.0,
                     [this](std::int64_t from, StereoSpan out) { source_.read(sounds_, from, out); });
    stretch_->follow([this](std::int64_t frame) {
      const double u = static_cast<double>(frame) / static_cast<double>(frames_);
      return std::exp2(motion_.semitonesAt(motion_.speed.speed(u)) / 12);
    });
  }

  std::int64_t render(StereoSpan out) override {
    const std::int64_t n = std::min(out.frames, frames_ - at_);
    if (n <= 0) return 0;
    const StereoSpan part = out.part(0, n);
    if (rumble_.at() != at_) { // begun anew somewhere: what the cut remembers comes first
      const std::int64_t wanted = at_;
      at_ = rumble_.neededFrom(wanted);
      rumble_.goTo(at_);
      again_.resize(kPrintBlock);
      while (at_ < wanted) cut(again_.span().part(0, std::min(kPrintBlock, wanted - at_)));
    }
    cut(part);
    return n;
  }
  bool seek(std::int64_t frame) override {
    at_ = frame;
    return true;
  }

 private:
  /// The next frames, moved, faded, without what is under hearing.
  void cut(StereoSpan part) {
    move(part);
    const std::int64_t n = part.frames;
    const bool silent = part.isSilent();
    if (silent && rumble_.rests()) { // hours of it cost little
      rumble_.goTo(rumble_.at() + n);
      at_ += n;
      return;
    }
    if (!silent) turnDown(part);
    for (std::int64_t i = 0; i < n; ++i)
      weight_[static_cast<std::size_t>(i)] = static_cast<float>(
          1 - raisedCosine(std::clamp((std::abs(speed_[static_cast<std::size_t>(i)]) - kSlow) / (kNearlyFull - kSlow),
                                      0.0, 1.0)));
    rumble_.process(part, weight_.data());
    for (std::int64_t i = 0; i < n; ++i) {
      const std::int64_t f = at_ + i;
      double g = 1;
      if (f < edges_.printIn) g *= raisedCosine(static_cast<double>(f) / static_cast<double>(edges_.printIn));
      if (const std::int64_t left = frames_ - f; left < edges_.printOut)
        g *= raisedCosine(static_cast<double>(left) / static_cast<double>(edges_.printOut));
      if (g == 1) continue;
      part.left[i] *= static_cast<float>(g);
      part.right[i] *= static_cast<float>(g);
    }
    at_ += n;
  }
  /// The next frames at their speed.
  void move(StereoSpan part) {
    const std::int64_t n = part.frames;
    motion_.speed.fill(frames_, at_, n, position_.data(), speed_.data());
    if (stretch_) {
      stretch_->read(at_, part);
    } else {
      // Positions come from the motion's begin; its heads stand where the plan says.
      const double last =
          source_.own() ? motion_.positionArriving(1) - begin_ : static_cast<double>(source_.pieceFrames());
      const double arriving = last - motion_.speed.total() * static_cast<double>(frames_);
      const double leaving = motion_.shape == TapeMotion::Shape::start ? arriving : motion_.positionLeaving(0) - begin_;
      if (motion_.shape == TapeMotion::Shape::dip)
        renderDip(part, leaving, arriving);
      else
        renderFrom(leaving, part);
    }
  }
  /// To the level of their speed.
  void turnDown(StereoSpan part) {
    for (std::int64_t i = 0; i < part.frames; ++i) {
      const double g = motion_.levelAt(speed_[static_cast<std::size_t>(i)]);
      if (g == 1) continue;
      part.left[i] *= static_cast<float>(g);
      part.right[i] *= static_cast<float>(g);
    }
  }
  void renderFrom(double head, StereoSpan part) {
    for (std::int64_t i = 0; i < part.frames; ++i)
      place_[static_cast<std::size_t>(i)] = position_[static_cast<std::size_t>(i)] + head;
    reader_.read(place_.data(), speed_.data(), part);
  }
  /// Two heads, handed over at the bottom by 20 ms of equal power.
  void renderDip(StereoSpan part, double leaving, double arriving) {
    const std::int64_t bottom = std::llround(motion_.bottom * static_cast<double>(frames_));
    const std::int64_t from = bottom - bottomHalf_, to = bottom + bottomHalf_;
    if (at_ + part.frames <= from) return renderFrom(leaving, part);
    if (at_ >= to) return renderFrom(arriving, part);
    renderFrom(leaving, part);
    const StereoSpan second = other_.span().part(0, part.frames);
    renderFrom(arriving, second);
    for (std::int64_t i = 0; i < part.frames; ++i) {
      const std::int64_t f = at_ + i;
      const double u = f < from ? 0 : f >= to ? 1 : static_cast<double>(f - from) / static_cast<double>(to - from);
      const JoinGains g = equalPower(u);
      const auto a = static_cast<float>(g.leaving), b = static_cast<float>(g.coming);
      part.left[i] = a * part.left[i] + b * second.left[i];
      part.right[i] = a * part.right[i] + b * second.right[i];
    }
  }

  Sounds& sounds_;
  TapeMotion motion_;
  OwnOrPieces source_;
  TapeEdges edges_;
  double begin_;
  std::int64_t frames_, bottomHalf_;
  SpeedReader reader_;
  std::optional<Stretch> stretch_;
  StereoBuffer other_, again_;
  RumbleCut rumble_;
  std::array<float, kPrintBlock> weight_{};
  std::array<double, kPrintBlock> position_{}, place_{}, speed_{};
  std::int64_t at_ = 0;
};

} // namespace

Curve tapeCurve(const TableSpec& table, const Settings& settings) {
  const auto value = [&](const char* key) { return *settingOr(table, settings, key).number(); };
  const double bend = value("bend"), lowest = value("lowest"), at = value("bottom_at");
  switch (shapeOf(settings)) {
  case TapeMotion::Shape::stop:
    return Curve({{0, 1, 0}, {1, lowest, bend}});
  case TapeMotion::Shape::start: // v(1 − u): the mirrored law is the law with the other sign of its bend
    return Curve({{0, lowest, 0}, {1, 1, -bend}});
  case TapeMotion::Shape::dip:
    return Curve({{0, 1, 0}, {at, lowest, bend}, {1, 1, -bend}});
  case TapeMotion::Shape::spinBack:
    return Curve({{0, 1, 0}, {at, 0, bend}, {1, -2, bend}});
  case TapeMotion::Shape::custom:
    return Curve::from(settingOr(table, settings, "speed")).value_or(Curve(1.0));
  }
  return Curve(1.0);
}

double TapeMotion::positionLeaving(double u) const {
  const auto n = static_cast<double>(frames.length());
  if (shape == Shape::start) return positionArriving(u);
  return static_cast<double>(frames.begin.count) + n * speed.position(u);
}

double TapeMotion::positionArriving(double u) const {
  const auto n = static_cast<double>(frames.length());
  return static_cast<double>(frames.end.count) - n * (speed.total() - speed.position(u));
}

double TapeMotion::positionAt(double u) const {
  if (pitchLock) return static_cast<double>(frames.begin.count) + u * static_cast<double>(frames.length());
  return shape == Shape::start || (shape == Shape::dip && u >= bottom) ? positionArriving(u) : positionLeaving(u);
}

double TapeMotion::levelAt(double v) const {
  const double magnitude = std::abs(v);
  const double level = 1 - fade * (1 - std::min(magnitude, 1.0));
  return magnitude < kStillSpeed ? level * raisedCosine(magnitude / kStillSpeed) : level;
}

double TapeMotion::semitonesAt(double v) const {
  if (shape == Shape::custom || shape == Shape::spinBack)
    return std::clamp(12 * std::log2(std::max(std::abs(v), 1e-3)), std::min(lowestSemitones, 0.0), 24.0);
  // The pitch goes the way the speed goes, from nothing at 1 to the lowest at 0.
  return lowestSemitones * (1 - v);
}

TapeMotion tapeMotion(const Placed& p) {
  const Settings& s = p.ornament.settings;
  TapeMotion m;
  m.shape = shapeOf(s);
  m.fade = number(s, "fade") / 100;
  m.pitchLock = *settingOr(tapeTable(), s, "pitch_lock").boolean();
  m.lowestSemitones = number(s, "lowest_semitones");
  if (m.pitchLock) { // the shape is run from 1 to 0; how deep the pitch goes has a number of its own
    Settings whole = s;
    whole["lowest"] = 0.0;
    m.speed = SpeedCurve(tapeCurve(tapeTable(), whole));
  } else {
    m.speed = SpeedCurve(tapeCurve(tapeTable(), s));
  }
  m.bottom = number(s, "bottom_at");
  const FrameRange span = p.span();
  m.frames = m.extent = span;
  const bool parted = m.shape == TapeMotion::Shape::stop || m.shape == TapeMotion::Shape::spinBack ||
                      m.shape == TapeMotion::Shape::custom;
  if (*settingOr(tapeTable(), s, "fit").text() == "extend" && !m.pitchLock) {
    const double mean = m.speed.total();
    if (mean < kLeastMeanSpeed) {
      m.refusal =
          worded("cannot play the whole source: its mean speed is under 0.05×. Raise the speed curve or use fit span");
      return m;
    }
    const auto frames = std::max<std::int64_t>(1, std::llround(static_cast<double>(Source(p).frames()) / mean));
    m.frames = m.shape == TapeMotion::Shape::start ? FrameRange{span.end - Frames(frames), span.end}
                                                   : FrameRange{span.begin, span.begin + Frames(frames)};
  } else if (parted) {
    m.frames.end =
        span.begin +
        Frames(std::max<std::int64_t>(1, std::llround(static_cast<double>(span.length()) * number(s, "halt_at"))));
  }
  m.extent = m.frames;
  if (*settingOr(tapeTable(), s, "hold_silence").boolean()) m.extent.end = std::max(m.extent.end, span.end);
  return m;
}

const TableSpec& Tape::table() const {
  return tapeTable();
}

PrintPlan Tape::plan(const Placed& p) const {
  const TapeMotion m = tapeMotion(p);
  PrintPlan plan;
  plan.extent = m.extent;
  if (!m.refusal.empty()) {
    plan.sounds = false;
    plan.refusal = m.refusal;
    return plan;
  }
  plan.reads = OwnOrPieces(p, tapeReach(p, m)).reads();
  plan.anyOrder = m.extent == m.frames; // held silent after its motion, its print ends before its extent
  const TapeEdges edges(p, m);
  const std::int64_t n = m.extent.length();
  const std::int64_t out = std::min(edges.dryOut, n / 2), in = std::min(edges.dryIn, n - out);
  plan.dry = plan.wet = turnedDown(m.extent, 0, out, in);
  return plan;
}

std::unique_ptr<Voice> Tape::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<TapeVoice>(p, sounds);
}

bool Tape::leadsIn(const Ornament& o) const {
  return shapeOf(o.settings) == TapeMotion::Shape::start;
}

std::optional<Frames> Tape::landingFrame(const Placed& p) const {
  if (!leadsIn(p.ornament)) return std::nullopt;
  return p.span().end;
}

std::optional<Ornament> Tape::withLandingAt(const Placed& p, Beats at) const {
  if (!leadsIn(p.ornament)) return std::nullopt;
  Ornament o = p.ornament;
  o.length = std::max(at - o.start, Beats(kTicksPerQuarter / 64));
  return o;
}

} // namespace ivrin
