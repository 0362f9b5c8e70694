#include "ornaments/pulse.h"

#include "ornaments/any_block.h"
#include "ornaments/list_cells.h"
#include "ornaments/source.h"
#include "song/curve.h"
#include "song/settings/settings_view.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ivrin {
namespace {

TableSpec makePulseTable() {
  TableSpec t;
  t.id = "pulse";
  t.name = "Pulse";
  t.key = "P";
  t.meaning = "Opens and closes the row in a rhythm of cells.";
  const auto add = [&](SettingSpec s) { t.settings.push_back(std::move(s)); };
  add({.key = "step",
       .label = "cell length",
       .type = type::time,
       .min = 1,
       .max = 960000,
       .initial = "1/16",
       .meaning = "Length of a cell: shorter pulses faster.",
       .group = "cells"});
  add({.key = "levels",
       .label = "cell level",
       .max = 1,
       .initial = List{1.0},
       .meaning = "Level of each cell; the list repeats.",
       .group = "cells",
       .step = 0.1,
       .shape = Shape::list});
  add({.key = "pans",
       .label = "cell pan",
       .type = type::pan,
       .min = -1,
       .max = 1,
       .initial = List{0.0},
       .meaning = "Pan of each cell; the list repeats.",
       .group = "cells",
       .step = 0.1,
       .shape = Shape::list});
  add({.key = "swing_percent",
       .label = "swing",
       .unit = "%",
       .max = 45,
       .initial = 0,
       .meaning = "How late every second cell plays, as a part of its pair: higher swings more.",
       .group = "cells",
       .since = 2});
  add({.key = "depth_percent",
       .label = "depth",
       .unit = "%",
       .max = 100,
       .initial = 100,
       .meaning = "How far the row is turned down between the cells.",
       .group = "cells",
       .step = 5,
       .role = Role::leftAlone});
  add({.key = "length_percent",
       .label = "gate",
       .unit = "%",
       .min = 1,
       .max = 100,
       .initial = 100,
       .meaning = "How much of its length a cell plays: shorter is choppier.",
       .group = "shape",
       .step = 5});
  add({.key = "fade_in",
       .label = "fade in",
       .unit = "%",
       .type = type::fade,
       .max = 100,
       .initial = 10,
       .meaning = "Length of the fade at the start of a cell: longer is softer.",
       .group = "shape",
       .step = 5});
  add({.key = "fade_in_bend",
       .label = "fade-in bend",
       .min = -1,
       .max = 1,
       .initial = 0,
       .meaning = "Shape of the fade in: above 0 it rises late, below 0 early.",
       .group = "shape",
       .step = 0.1});
  add({.key = "fade_out",
       .label = "fade out",
       .unit = "%",
       .type = type::fade,
       .max = 100,
       .initial = 10,
       .meaning = "Length of the fade at the end of a cell: longer is softer.",
       .group = "shape",
       .step = 5});
  add({.key = "fade_out_bend",
       .label = "fade-out bend",
       .min = -1,
       .max = 1,
       .initial = 0,
       .meaning = "Shape of the fade out: above 0 it falls early, below 0 late.",
       .group = "shape",
       .step = 0.1});
  const auto own = [&](const char* key, const char* label, const char* unit, double least, double most,
                       const char* meaning) {
    add({.key = key,
         .label = label,
         .unit = unit,
         .min = least,
         .max = most,
         .initial = List{Value()},
         .meaning = meaning,
         .group = "per cell",
         .step = most == 1 ? 0.1 : 5,
         .shape = Shape::list,
         .entriesNullable = true,
         .role = Role::leftAlone,
         .since = 2});
  };
  own("fade_ins", "fade in per cell", "%", 0, 100, "Fade in of each cell, where it differs; the list repeats.");
  own("fade_outs", "fade out per cell", "%", 0, 100, "Fade out of each cell, where it differs; the list repeats.");
  own("fade_in_bends", "fade-in bend per cell", "", -1, 1,
      "Shape of each fade in, where it differs; the list repeats.");
  own("fade_out_bends", "fade-out bend per cell", "", -1, 1,
      "Shape of each fade out, where it differs; the list repeats.");
  return t;
}

const TableSpec& pulseTable() {
  static const TableSpec t = makePulseTable();
  return t;
}

/// The row comes back in phase on the span's edges, unless a finish has changed what comes through.
bool seamless(const Placed& p) {
  return p.ornament.finish.empty() && p.ornament.source.empty();
}

class PulseVoice : public AnyBlockVoice {
 public:
  PulseVoice(const Placed& p, Sounds& sounds)
      : sounds_(sounds)
      , shape_(p)
      , span_(p.span())
      , source_(p, span_)
      , edge_(edgeFrames(p))
      , seamless_(seamless(p)) {}

 protected:
  std::int64_t frames() const override { return span_.length(); }
  void block(std::int64_t at, StereoSpan part) override {
    const std::int64_t n = part.frames;
    source_.read(sounds_, at, part);
    const bool atEdge = at < edge_ || at + n > span_.length() - edge_;
    if (atEdge) {
      std::copy_n(part.left, n, row_.left());
      std::copy_n(part.right, n, row_.right());
    }
    const Frames first = span_.begin + Frames(at);
    std::int64_t k = shape_.grid.at(first);
    for (std::int64_t done = 0; done < n; ++k) {
      const PulseShape::Step step = shape_.step(k);
      const std::int64_t from = std::max<std::int64_t>(0, (first - step.begin).count + done),
                         count = std::min(step.length - from, n - done);
      if (count > 0) play(k, step, from, part.part(done, count));
      done += std::max<std::int64_t>(count, 0);
    }
    if (atEdge) edges(at, part, row_.span());
  }

 private:
  /// `from` frames into a step.
  void play(std::int64_t k, const PulseShape::Step& step, std::int64_t from, StereoSpan io) {
    const SideGains gains = shape_.gainsOf(k);
    const std::int64_t body = step.open - step.fadeOut; // where the fade out begins
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const std::int64_t at = from + i;
      const double w = at >= step.fadeIn && at < body ? 1 : shape_.windowAt(step, at);
      gain_[static_cast<std::size_t>(i)] = static_cast<float>(1 - shape_.depth * (1 - gains.left * w));
      other_[static_cast<std::size_t>(i)] = static_cast<float>(1 - shape_.depth * (1 - gains.right * w));
    }
    for (std::int64_t i = 0; i < io.frames; ++i) {
      io.left[i] *= gain_[static_cast<std::size_t>(i)];
      io.right[i] *= other_[static_cast<std::size_t>(i)];
    }
  }
  /// At the print's two edges: the row itself passes into the pulse, or what the finish has changed fades.
  void edges(std::int64_t at, StereoSpan io, const StereoSpan& row) {
    for (std::int64_t i = 0; i < io.frames; ++i) {
      const std::int64_t near = std::min(at + i, span_.length() - at - i);
      if (near >= edge_) continue;
      const auto w = static_cast<float>(raisedCosine(static_cast<double>(near) / static_cast<double>(edge_)));
      io.left[i] = seamless_ ? row.left[i] + w * (io.left[i] - row.left[i]) : w * io.left[i];
      io.right[i] = seamless_ ? row.right[i] + w * (io.right[i] - row.right[i]) : w * io.right[i];
    }
  }

  Sounds& sounds_;
  PulseShape shape_;
  FrameRange span_;
  OwnOrPieces source_;
  std::int64_t edge_;
  bool seamless_;
  StereoBuffer row_{kPrintBlock};
  std::array<float, kPrintBlock> gain_{}, other_{};
};

} // namespace

PulseShape::PulseShape(const Placed& p)
    : grid(p.map, p.ornament.start, settingOr(pulseTable(), p.ornament.settings, "step"),
           SettingsView(pulseTable(), p.ornament.settings).share("swing_percent")) {
  const SettingsView s(pulseTable(), p.ornament.settings);
  levels = s.numbers("levels");
  pans = s.numbers("pans");
  open = s.share("length_percent");
  depth = s.share("depth_percent");
  bendIn_ = s.number("fade_in_bend");
  bendOut_ = s.number("fade_out_bend");
  ins_ = s.numbersOrNull("fade_ins");
  outs_ = s.numbersOrNull("fade_outs");
  inBends_ = s.numbersOrNull("fade_in_bends");
  outBends_ = s.numbersOrNull("fade_out_bends");
  const auto fade = [&](const char* key) -> Fade {
    const Value& v = s.value(key);
    if (const double* percent = v.number()) return {*percent / 100, 0};
    return {0, *v.object()->front().second.number() / 1000 * p.sampleRate()};
  };
  in_ = fade("fade_in");
  out_ = fade("fade_out");
}

SideGains PulseShape::gainsOf(std::int64_t step) const {
  const double level = levelOf(step);
  const SideGains sides = balance(panOf(step));
  return {level * sides.left, level * sides.right};
}

PulseShape::Step PulseShape::step(std::int64_t k) const {
  Step s{
      grid.begin(k), 0, 0, 0, 0, goneRound(inBends_, k).value_or(bendIn_), goneRound(outBends_, k).value_or(bendOut_)};
  s.length = (grid.begin(k + 1) - s.begin).count;
  const auto length = static_cast<double>(s.length);
  s.open = std::clamp<std::int64_t>(std::llround(open * length), std::min<std::int64_t>(1, s.length), s.length);
  const auto fade = [&](const Own& list, const Fade& all) {
    const auto percent = goneRound(list, k);
    return std::llround(percent ? *percent / 100 * length : all.share * length + all.frames);
  };
  s.fadeIn = fade(ins_, in_);
  s.fadeOut = fade(outs_, out_);
  if (s.fadeIn + s.fadeOut > s.open) { // they share what there is
    const std::int64_t both = s.fadeIn + s.fadeOut;
    s.fadeIn = s.open * s.fadeIn / both;
    s.fadeOut = s.open - s.fadeIn;
  }
  return s;
}

Pattern PulseShape::pattern() const {
  Pattern all(
      ListCells::roundOf({levels.size(), pans.size(), ins_.size(), outs_.size(), inBends_.size(), outBends_.size()}));
  for (std::size_t i = 0; i < all.size(); ++i) {
    const auto k = static_cast<std::int64_t>(i);
    all[i] = {.level = levelOf(k),
              .side = panOf(k),
              .in = goneRound(ins_, k),
              .out = goneRound(outs_, k),
              .inBend = goneRound(inBends_, k),
              .outBend = goneRound(outBends_, k)};
  }
  return all;
}

double PulseShape::windowAt(const Step& s, std::int64_t at) const {
  if (at >= s.open) return 0;
  if (at < s.fadeIn) return bendProgress(s.bendIn, static_cast<double>(at) / static_cast<double>(s.fadeIn));
  if (const std::int64_t left = s.open - at; left < s.fadeOut)
    return 1 - bendProgress(s.bendOut, static_cast<double>(s.fadeOut - left) / static_cast<double>(s.fadeOut));
  return 1;
}

namespace {

class PulseCells : public ListCells {
 public:
  PulseCells(const Placed& p, PulseShape shape)
      : ListCells(p, shape.grid, p.span())
      , shape_(std::move(shape)) {}
  Pattern pattern() const override { return shape_.pattern(); }
  Ornament with(const Pattern& p) const override {
    Ornament o = ornament();
    setList(o, "levels", p, [](const PatternStep& s) { return Value(std::min(s.level, 1.0)); });
    setList(o, "pans", p, [](const PatternStep& s) { return Value(s.side); });
    const auto own = [&](const char* key, std::optional<double> PatternStep::*part) {
      setList(o, key, p, [part](const PatternStep& s) { return s.*part ? Value(*(s.*part)) : Value(); });
    };
    own("fade_ins", &PatternStep::in);
    own("fade_outs", &PatternStep::out);
    own("fade_in_bends", &PatternStep::inBend);
    own("fade_out_bends", &PatternStep::outBend);
    return o;
  }
  Has has() const override { return {.sides = true}; }

 private:
  PulseShape shape_;
};

} // namespace

std::unique_ptr<Cells> Pulse::cells(const Placed& p) const {
  return std::make_unique<PulseCells>(p, PulseShape(p));
}

const TableSpec& Pulse::table() const {
  return pulseTable();
}

PrintPlan Pulse::plan(const Placed& p) const {
  PrintPlan plan;
  plan.extent = p.span();
  plan.anyOrder = true;
  plan.reads = OwnOrPieces(p, plan.extent).reads();
  const std::int64_t edge = edgeFrames(p), fade = seamless(p) ? 0 : edge;
  plan.dry = turnedDown(plan.extent, 0, fade, fade);
  plan.wet = p.ornament.hears == Hears::dry ? turnedDown(plan.extent, 0, edge, edge) : plan.dry;
  return plan;
}

std::unique_ptr<Voice> Pulse::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<PulseVoice>(p, sounds);
}

} // namespace ivrin
