#include "ornaments/stutter.h"

#include "dsp/measure/loudness.h"
#include "dsp/measure/onsets.h"
#include "dsp/speed/speed_reader.h"
#include "ornaments/any_block.h"
#include "ornaments/hand_over.h"
#include "ornaments/list_cells.h"
#include "ornaments/source.h"
#include "song/settings/settings_view.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace {

// Where the attack is looked for, seconds before and after the source's begin; and what is heard around that, so that
// attacks have something to stand out from.
constexpr double kSoonest = 0.09, kLatest = 0.5, kAround = 0.06;
constexpr float kLeastOfLoudest = 0.1f; // of the highest heard there: what is softer is no attack of it
constexpr double kDbPerSecond = 100;    // by which an attack further away must be stronger
constexpr double kBackSeconds = 0.0025; // from half its height to where an attack begins, at most
constexpr double kLongestTakeFrom = 0.5;
constexpr double kLeastSemitones = -48, kMostSemitones = 24; // whatever steps add up to

void addStutterCells(TableSpec& t) {
  t.add({.key = "slice",
         .label = "cell length",
         .type = type::time,
         .min = 1,
         .max = 960000,
         .initial = "1/16",
         .meaning = "Length of a cell: shorter repeats faster.",
         .group = "cells"});
  t.add({.key = "pattern",
         .label = "length sequence",
         .type = type::pattern,
         .meaning = "Cells of different lengths in a row, in place of equal ones.",
         .group = "cells",
         .nullable = true,
         .whenNull = "equal"});
  t.add({.key = "pattern_fill",
         .label = "after that",
         .type = type::choice,
         .initial = "last",
         .meaning = "What follows the sequence: hold goes on with its last length, repeat starts it again.",
         .group = "cells",
         .choices = {"last", "cycle"},
         .shown = {"hold", "repeat"},
         .role = Role::leftAlone});
  t.add({.key = "count",
         .label = "cells",
         .type = type::integer,
         .min = 1,
         .max = 1024,
         .meaning = "Number of cells before the row returns, or as many as fit.",
         .group = "cells",
         .nullable = true,
         .whenNull = "to the end",
         .fromNull = std::pair(4.0, 4.0),
         .role = Role::leftAlone});
  t.add({.key = "gate_percent",
         .label = "gate",
         .unit = "%",
         .min = 5,
         .max = 100,
         .initial = 100,
         .meaning = "How much of its length a cell plays: shorter is choppier.",
         .group = "cells",
         .step = 5});
}

void addStutterShape(TableSpec& t) {
  t.add({.key = "gains_db",
         .label = "cell level",
         .unit = "dB",
         .min = -60,
         .max = 12,
         .initial = List{0.0},
         .meaning = "Level of each cell, or muted; the list repeats.",
         .group = "shape",
         .shape = Shape::list,
         .entriesNullable = true,
         .since = 2});
  t.add({.key = "gain_step_db",
         .label = "level per cell",
         .unit = "dB",
         .min = -24,
         .max = 12,
         .initial = 0,
         .meaning = "How much louder each cell is than the one before it, up to +12 dB in total.",
         .group = "shape",
         .step = 0.5});
  t.add({.key = "pitches",
         .label = "cell pitch",
         .unit = "st",
         .min = -24,
         .max = 24,
         .initial = List{0.0},
         .meaning = "Pitch of each cell; the list repeats.",
         .group = "shape",
         .shape = Shape::list});
  t.add({.key = "pitch_step_semitones",
         .label = "pitch per cell",
         .unit = "st",
         .min = -12,
         .max = 12,
         .initial = 0,
         .meaning = "How much higher each cell is than the one before it, from −48 to 24 semitones in total.",
         .group = "shape"});
  t.add({.key = "pan_pattern",
         .label = "cell pan",
         .type = type::pan,
         .min = -1,
         .max = 1,
         .initial = List{0.0},
         .meaning = "Pan of each cell; the list repeats.",
         .group = "shape",
         .step = 0.1,
         .shape = Shape::list});
  t.add({.key = "fade_ms",
         .label = "crossfade",
         .unit = "ms",
         .max = 50,
         .initial = 2,
         .meaning = "Crossfade between cells: longer is smoother. Transients stay intact.",
         .group = "shape",
         .step = 0.5,
         .role = Role::leftAlone});
  t.add({.key = "remove_dry",
         .label = "dry",
         .type = type::yesNo,
         .initial = true,
         .meaning = "Keeps the row under the cells, or removes it while they play.",
         .group = "shape",
         .shown = {"kept", "removed"},
         .role = Role::leftAlone});
}

void addStutterSlices(TableSpec& t) {
  t.add({.key = "order",
         .label = "slice order",
         .type = type::integer,
         .min = 1,
         .max = 1024,
         .meaning = "Slice of the source that each cell plays, counted from 1; the list repeats.",
         .group = "slices",
         .shape = Shape::list,
         .nullable = true,
         .whenNull = "first only"});
  t.add({.key = "snap_to_onset",
         .label = "snap to transient",
         .type = type::yesNo,
         .initial = false,
         .meaning = "Starts the slices at the transient found near their start. They still play on the grid.",
         .group = "slices",
         .role = Role::leftAlone});
  t.add({.key = "take_from_ms",
         .label = "slice offset",
         .unit = "ms",
         .min = -500,
         .max = 500,
         .initial = 0,
         .meaning = "Starts the slices this much later or earlier in the source.",
         .group = "slices",
         .role = Role::leftAlone,
         .since = 2});
  t.add({.key = "reverse_every",
         .label = "reverse every",
         .type = type::integer,
         .max = 64,
         .initial = 0,
         .meaning = "Plays every n-th cell backwards; 0 is off.",
         .group = "slices"});
  t.add({.key = "reversed",
         .label = "reversed cells",
         .type = type::yesNo,
         .initial = List{false},
         .meaning = "Cells that play backwards; the list repeats.",
         .group = "slices",
         .shape = Shape::list,
         .since = 2});
}

TableSpec makeStutterTable() {
  TableSpec t;
  t.id = "stutter";
  t.name = "Stutter";
  t.key = "U";
  t.meaning = "Repeats the first cell of the row, or plays its slices in another order.";
  addStutterCells(t);
  addStutterShape(t);
  addStutterSlices(t);
  return t;
}

const TableSpec& stutterTable() {
  static const TableSpec t = makeStutterTable();
  return t;
}

SettingsView stutterSettings(const Placed& p) {
  return {stutterTable(), p.ornament.settings};
}

StepGrid gridOf(const Placed& p) {
  const SettingsView s = stutterSettings(p);
  const Value& runs = s.value("pattern");
  if (runs.isNull()) return {p.map, p.ornament.start, s.value("slice")};
  return {p.map, p.ornament.start, *runs.list(),
          s.is("pattern_fill", "cycle") ? StepGrid::Then::cycle : StepGrid::Then::last};
}

bool replaces(const Placed& p) {
  return stutterSettings(p).yes("remove_dry");
}

/// Frames before the first cell in which it comes in, so that it has its whole attack.
std::int64_t entryFrames(const StutterShape& shape) {
  return entryBefore(shape.frames.begin, std::min(shape.fade, shape.frames.length() / 2));
}

/// What cells may play of the row itself.
FrameRange stutterReach(const Placed& p, const StutterShape& shape) {
  const double longest =
      std::min(static_cast<double>(shape.grid.longest()), static_cast<double>(shape.frames.length()));
  const double played = (longest + static_cast<double>(shape.fade) + 1) * shape.fastest();
  const auto around = static_cast<std::int64_t>((kLatest + kAround + kLongestTakeFrom) * p.sampleRate() +
                                                static_cast<double>(shape.fade + 1) * shape.fastest()) +
                      SpeedReader::kReach;
  const Frames begin = p.span().begin;
  return {begin - Frames(around),
          std::max(begin + Frames(shape.lastSlice() + around) + Frames(static_cast<std::int64_t>(std::ceil(played))),
                   p.span().end)};
}

/// Frames from the source's begin to the attack near it; 0 where none is found.
std::int64_t attackNear(OwnOrPieces& source, Sounds& sounds, double rate) {
  const auto frames = [&](double seconds) -> std::int64_t { return std::llround(seconds * rate); };
  const std::int64_t from = -frames(kSoonest + kAround);
  StereoBuffer heard(frames(kLatest + kAround) - from);
  source.read(sounds, from, heard.span());
  OnsetFinder finder(rate);
  finder.add(heard.left(), heard.right(), heard.frames());
  const auto highest = [&](std::int64_t f, std::int64_t end) {
    return static_cast<float>(samplePeak(heard.left() + f, heard.right() + f, std::min(end, heard.frames()) - f));
  };
  const float loudest = highest(frames(kAround), heard.frames());
  std::optional<std::int64_t> best;
  double most = -1e9;
  for (const Onset& onset : finder.finish()) {
    const double at = static_cast<double>(onset.frame + from) / rate;
    const double strength = onset.riseDb - kDbPerSecond * std::abs(at);
    if (at < -kSoonest || at > kLatest || strength <= most) continue;
    if (highest(onset.frame, onset.frame + frames(0.03)) < kLeastOfLoudest * loudest) continue;
    most = strength;
    best = onset.frame;
  }
  if (!best) return 0;
  // From half its height back to where it begins: under a twentieth of what follows.
  const float peak = highest(*best, *best + frames(0.004));
  const std::int64_t soonest = std::max<std::int64_t>(0, *best - frames(kBackSeconds));
  std::int64_t begin = *best;
  for (std::int64_t f = *best; f >= soonest; --f)
    if (highest(f, f + 1) >= 0.05f * peak) begin = f;
  return begin + from;
}

std::int64_t shiftOf(const Placed& p, OwnOrPieces& source, Sounds& sounds) {
  const SettingsView s = stutterSettings(p);
  const std::int64_t found = s.yes("snap_to_onset") ? attackNear(source, sounds, p.sampleRate()) : 0;
  return found + std::llround(s.number("take_from_ms") / 1000 * p.sampleRate());
}

class StutterVoice : public AnyBlockVoice {
 public:
  StutterVoice(const Placed& p, Sounds& sounds)
      : sounds_(sounds)
      , shape_(p)
      , source_(p, stutterReach(p, shape_))
      , entry_(entryFrames(shape_))
      , length_(shape_.frames.length() + entry_)
      , shift_(shiftOf(p, source_, sounds))
      , reader_([this](std::int64_t from, StereoSpan out) { source_.read(sounds_, from, out); }) {}

 protected:
  std::int64_t frames() const override { return length_; }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    part.clear();
    const Frames first = shape_.frames.begin + Frames(at - entry_), end = first + Frames(n);
    for (std::int64_t k = shape_.grid.at(first); k < shape_.cells; ++k) {
      const StutterShape::Cell cell = shape_.cell(k);
      const std::int64_t before = k == 0 ? entry_ : shape_.fadeAfter(k - 1);
      if (cell.begin - Frames(before) >= end) break;
      play(k, cell, first, part);
    }
  }

 private:
  /// Adds what of a cell, with its fades, falls into `out`, which begins at song frame `first`.
  void play(std::int64_t k, const StutterShape::Cell& cell, Frames first, StereoSpan out) {
    if (cell.silent()) return;
    HandOver edge{k == 0 ? entry_ : shape_.fadeAfter(k - 1), shape_.fadeAfter(k)};
    if (k > 0) {
      const StutterShape::Cell former = shape_.cell(k - 1);
      edge.joinIn = former.open == former.length;
      if (shape_.goesOn(former, cell)) edge.in = 0;
    }
    if (k + 1 < shape_.cells) {
      edge.joinOut = cell.open == cell.length;
      if (shape_.goesOn(cell, shape_.cell(k + 1))) edge.out = 0;
    }
    const std::int64_t from = std::max(-edge.in, (first - cell.begin).count),
                       to = std::min(cell.open, (first - cell.begin).count + out.frames);
    if (from >= to) return;
    const StereoSpan mine = part_.span().part(0, to - from);
    readCell(cell, from, mine);
    const std::int64_t at = from - (first - cell.begin).count;
    const auto left = static_cast<float>(cell.gains.left), right = static_cast<float>(cell.gains.right);
    for (std::int64_t i = 0; i < mine.frames; ++i) {
      const auto g = static_cast<float>(edge.at(from + i, cell.open));
      out.left[at + i] += g * left * mine.left[i];
      out.right[at + i] += g * right * mine.right[i];
    }
  }
  /// What a cell plays `from` frames after its begin, before gains and fades.
  void readCell(const StutterShape::Cell& cell, std::int64_t from, StereoSpan out) {
    const std::int64_t slice = shift_ + cell.slice;
    if (cell.speed == 1 && !cell.reversed) return source_.read(sounds_, slice + from, out);
    if (cell.speed == 1) {
      source_.read(sounds_, slice + cell.open - from - out.frames, out);
      out.reverse();
      return;
    }
    for (std::int64_t i = 0; i < out.frames; ++i) {
      position_[static_cast<std::size_t>(i)] = static_cast<double>(slice) + cell.positionAt(from + i);
      speed_[static_cast<std::size_t>(i)] = cell.reversed ? -cell.speed : cell.speed;
    }
    reader_.read(position_.data(), speed_.data(), out);
  }

  Sounds& sounds_;
  StutterShape shape_;
  OwnOrPieces source_;
  std::int64_t entry_, length_, shift_;
  SpeedReader reader_;
  StereoBuffer part_{kPrintBlock};
  std::array<double, kPrintBlock> position_{}, speed_{};
};

} // namespace

StutterShape::StutterShape(const Placed& p)
    : grid(gridOf(p))
    , frames(p.span()) {
  const SettingsView s = stutterSettings(p);
  if (const auto count = s.maybe("count"))
    frames.end = std::clamp(grid.begin(static_cast<std::int64_t>(*count)), frames.begin, frames.end);
  cells = frames.empty() ? 0 : grid.at(frames.end - Frames(1)) + 1;
  fade = std::llround(s.number("fade_ms") / 1000 * p.sampleRate());
  gains_ = s.numbersOrNull("gains_db");
  for (const Value& v : *s.value("reversed").list()) reversed_.push_back(*v.boolean() ? 1 : 0);
  pitches_ = s.numbers("pitches");
  pans_ = s.numbers("pan_pattern");
  for (const double n : s.numbers("order")) order_.push_back(static_cast<std::int64_t>(n) - 1);
  if (order_.empty()) order_ = {0};
  gate_ = s.share("gate_percent");
  gainStep_ = s.number("gain_step_db");
  pitchStep_ = s.number("pitch_step_semitones");
  reverseEvery_ = static_cast<std::int64_t>(s.number("reverse_every"));
}

StutterShape::Cell StutterShape::cell(std::int64_t k) const {
  Cell c{grid.begin(k), 0, 0, 0, 1, false, {0, 0}};
  c.length = (std::min(grid.begin(k + 1), frames.end) - c.begin).count;
  c.open = std::clamp<std::int64_t>(std::llround(gate_ * static_cast<double>(c.length)),
                                    std::min<std::int64_t>(1, c.length), c.length);
  c.slice = (grid.begin(goneRound(order_, k)) - grid.begin(0)).count;
  const double steps = static_cast<double>(k);
  const double semitones = std::clamp(goneRound(pitches_, k) + steps * pitchStep_, kLeastSemitones, kMostSemitones);
  c.speed = semitones == 0 ? 1 : std::exp2(semitones / 12);
  c.reversed = goneRound(reversed_, k) != 0 || (reverseEvery_ > 0 && (k + 1) % reverseEvery_ == 0);
  if (const auto db = goneRound(gains_, k)) {
    const double total = std::min(*db + steps * gainStep_, kMostCellDb);
    const double gain = total == 0 ? 1 : total < -120 ? 0 : Decibels(total).gain();
    const SideGains sides = balance(goneRound(pans_, k));
    c.gains = {gain * sides.left, gain * sides.right};
  }
  return c;
}

double StutterShape::fastest() const {
  const double highest = *std::max_element(pitches_.begin(), pitches_.end()) +
                         std::max(0.0, pitchStep_ * static_cast<double>(std::max<std::int64_t>(0, cells - 1)));
  return std::exp2(std::clamp(highest, 0.0, kMostSemitones) / 12);
}

std::int64_t StutterShape::lastSlice() const {
  return (grid.begin(*std::max_element(order_.begin(), order_.end())) - grid.begin(0)).count;
}

std::int64_t StutterShape::fadeAfter(std::int64_t k) const {
  return std::min(fade, (std::min(grid.begin(k + 1), frames.end) - grid.begin(k)).count / 2);
}

bool StutterShape::goesOn(const Cell& cell, const Cell& next) const {
  const auto plain = [](const Cell& c) { return c.speed == 1 && !c.reversed; };
  return plain(cell) && plain(next) && cell.open == cell.length && cell.gains.left == next.gains.left &&
         cell.gains.right == next.gains.right && next.slice == cell.slice + cell.length;
}

Pattern StutterShape::pattern() const {
  Pattern all(ListCells::roundOf({gains_.size(), pans_.size(), pitches_.size(), reversed_.size()}));
  for (std::size_t i = 0; i < all.size(); ++i) {
    const auto k = static_cast<std::int64_t>(i);
    const auto db = goneRound(gains_, k);
    all[i] = {db ? Decibels(*db).gain() : 0, goneRound(pans_, k), goneRound(pitches_, k), goneRound(reversed_, k) != 0};
  }
  return all;
}

const TableSpec& Stutter::table() const {
  return stutterTable();
}

PrintPlan Stutter::plan(const Placed& p) const {
  const StutterShape shape(p);
  const std::int64_t in = entryFrames(shape);
  PrintPlan plan;
  plan.extent = {shape.frames.begin - Frames(in), shape.frames.end};
  plan.anyOrder = true;
  plan.reads = OwnOrPieces(p, stutterReach(p, shape)).reads();
  if (shape.frames.empty() || !replaces(p)) return plan;
  plan.dry = plan.wet = turnedDown(plan.extent, 0, in, shape.fadeAfter(shape.cells - 1));
  return plan;
}

std::unique_ptr<Voice> Stutter::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<StutterVoice>(p, sounds);
}

std::optional<Frames> Stutter::takenFrom(const Placed& p, Sounds& sounds) const {
  OwnOrPieces source(p, stutterReach(p, StutterShape(p)));
  const Frames begin = p.ornament.source.empty() ? p.span().begin : source.reads().front().frames.begin;
  return begin + Frames(shiftOf(p, source, sounds));
}

} // namespace ivrin
