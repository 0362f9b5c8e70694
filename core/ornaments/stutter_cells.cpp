// The cells of a stutter, as tools and hands see them: its lists as one pattern, and cells cut and joined one by one.
// Equal cells become a run of lengths when the first of them is cut, and equal ones again when the last cut is joined.
#include "ornaments/list_cells.h"
#include "ornaments/stutter.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"
#include "song/settings/settings_view.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

class StutterCells : public ListCells {
 public:
  StutterCells(const Placed& p, StutterShape shape)
      : ListCells(p, shape.grid, shape.frames)
      , map_(p.map)
      , shape_(std::move(shape)) {
    if (const List* runs = settings().value("pattern").list())
      for (const Value& run : *runs)
        runs_.push_back({(*run.list())[0], written() + static_cast<std::int64_t>(*(*run.list())[1].number())});
  }

  Pattern pattern() const override { return shape_.pattern(); }
  Ornament with(const Pattern& p) const override {
    Ornament o = ornament();
    setList(o, "gains_db", p, [](const PatternStep& s) {
      return s.sounds() ? Value(std::clamp(std::round(200 * std::log10(s.level)) / 10, -60.0, kMostCellDb)) : Value();
    });
    setList(o, "pan_pattern", p, [](const PatternStep& s) { return Value(s.side); });
    setList(o, "pitches", p, [](const PatternStep& s) { return Value(s.semitones); });
    setList(o, "reversed", p, [](const PatternStep& s) { return Value(s.reversed); });
    return o;
  }
  Has has() const override { return {.sides = true, .pitches = true, .directions = true, .lengths = true}; }

  std::string lengthText(std::int64_t k) const override { return settingText(*table().find("slice"), lengthOf(k)); }

  std::optional<Ornament> cut(std::int64_t k) const override {
    const auto half = halfOf(lengthOf(k));
    if (!half) return std::nullopt;
    return recut(k, 1, {*half, *half});
  }
  std::optional<Ornament> joined(std::int64_t first, std::int64_t last) const override {
    if (first >= last) return std::nullopt;
    return recut(first, last - first + 1, {sumOf(first, last)});
  }

 private:
  SettingsView settings() const { return {table(), ornament().settings}; }
  bool goesRound() const { return settings().is("pattern_fill", "cycle"); }
  Value lengthOf(std::int64_t k) const {
    if (runs_.empty()) return settings().value("slice");
    const std::int64_t at = goesRound() ? k % std::max<std::int64_t>(1, written()) : std::min(k, written() - 1);
    const auto run =
        std::upper_bound(runs_.begin(), runs_.end(), at, [](std::int64_t cell, const Run& r) { return cell < r.end; });
    return run->length;
  }
  /// Cells that the run says the lengths of.
  std::int64_t written() const { return runs_.empty() ? 0 : runs_.back().end; }
  std::optional<Beats> beatsOf(const Value& length) const {
    return length.text() ? NoteValue::parse(*length.text())->beats(map_, ornament().start) : std::nullopt;
  }
  /// The note value that is exactly so long, one that is there before others; else milliseconds at the tempo where it
  /// begins.
  Value valueOf(Beats length) const {
    for (const Run& run : runs_)
      if (run.length.text() && beatsOf(run.length) == length) return run.length;
    if (const NoteValue note = NoteValue::ofLength(length); note.since() == 1) return note.text();
    for (int n = 1; n <= 64; ++n)
      if (Value v(NoteValue{.kind = NoteValue::Kind::bars, .number = n}.text()); beatsOf(v) == length) return v;
    return {length.quarters() * 60000 / map_.bpmAt(ornament().start)};
  }
  std::optional<Value> halfOf(const Value& length) const {
    if (const auto beats = beatsOf(length); beats && beats->ticks % 2 == 0)
      if (Value half = valueOf(Beats(beats->ticks / 2)); half.text()) return half;
    const double ms = millisecondsOf(length) / 2;
    return ms < table().find("slice")->min ? std::nullopt : std::optional(Value(ms));
  }
  double millisecondsOf(const Value& length) const {
    if (const double* ms = length.number()) return *ms;
    return NoteValue::parse(*length.text())->seconds(map_, ornament().start).value * 1000;
  }
  Value sumOf(std::int64_t first, std::int64_t last) const {
    Beats beats;
    double ms = 0;
    bool exact = true;
    for (std::int64_t k = first; k <= last; ++k) {
      const Value length = lengthOf(k);
      const auto its = beatsOf(length);
      exact = exact && its;
      if (its) beats = beats + *its;
      ms += millisecondsOf(length);
    }
    return exact ? valueOf(beats) : Value(ms);
  }

  /// Cells k .. k+count−1 in the place of which these lengths stand.
  std::optional<Ornament> recut(std::int64_t k, std::int64_t count, const std::vector<Value>& lengths) const {
    const std::int64_t all = end(), more = static_cast<std::int64_t>(lengths.size()) - count;
    if (k < 0 || k + count > all || all + more > static_cast<std::int64_t>(kMostSteps)) return std::nullopt;
    Ornament o = ornament();
    // Which of the former cells each of the new ones comes from.
    std::vector<std::int64_t> from;
    for (std::int64_t i = 0; i < all + more; ++i) from.push_back(i < k ? i : i < k + count + more ? k : i - more);
    for (const char* key : {"gains_db", "pitches", "pan_pattern"}) {
      const List& was = *settings().value(key).list();
      List list;
      for (const std::int64_t i : from) list.push_back(goneRound(was, i));
      setList(o, key, std::move(list));
    }
    List reversed;
    for (const std::int64_t i : from) reversed.emplace_back(shape_.cell(i).reversed);
    setList(o, "reversed", std::move(reversed));
    o.settings.erase("reverse_every"); // it is in the list now: it counts cells, and they are other ones
    if (const List* order = settings().value("order").list()) {
      List list;
      for (std::size_t i = 0; i < from.size(); ++i) {
        const auto slice = static_cast<std::int64_t>(*goneRound(*order, from[i]).number() - 1);
        std::int64_t now = slice < k ? slice : slice < k + count ? k : slice + more;
        // Of a cell that plays its own slice each half goes on with its own.
        if (slice == from[i] && slice == k) now = k + std::min(static_cast<std::int64_t>(i) - k, more > 0 ? more : 0);
        if (now + 1 > static_cast<std::int64_t>(kMostSteps)) return std::nullopt;
        list.emplace_back(static_cast<double>(now + 1));
      }
      setList(o, "order", std::move(list));
    }
    if (const auto number = settings().maybe("count"))
      o.settings["count"] =
          std::max(1.0, *number + (*number > static_cast<double>(k) ? static_cast<double>(more) : 0.0));

    // The lengths until what comes after stays as it was.
    const std::int64_t until = std::max(k + count + 1, runs_.empty() ? 0 : goesRound() ? all : written());
    std::vector<Value> next;
    for (std::int64_t i = 0; i < k; ++i) next.push_back(lengthOf(i));
    next.insert(next.end(), lengths.begin(), lengths.end());
    for (std::int64_t i = k + count; i < until; ++i) next.push_back(lengthOf(i));
    const auto same = [&](const Value& v) { return v == next.front(); };
    if (std::all_of(next.begin(), next.end(), same)) {
      o.settings.erase("pattern");
      o.settings.erase("pattern_fill");
      setOrErase(o, "slice", next.front());
      return o;
    }
    List made;
    std::size_t ofRun = 0;
    for (std::size_t i = 0; i < next.size(); ++i) {
      if (i > 0 && next[i] == next[i - 1] && ofRun < kMostOfARun) {
        made.back() = List{next[i], static_cast<double>(++ofRun)};
      } else {
        made.emplace_back(List{next[i], 1.0});
        ofRun = 1;
      }
    }
    if (made.size() > kMostRuns) return std::nullopt;
    o.settings["pattern"] = std::move(made);
    o.settings.erase("pattern_fill"); // the last length goes on
    return o;
  }

  struct Run {
    Value length;
    std::int64_t end; // the cell after its last one
  };
  const TempoMap& map_;
  StutterShape shape_;
  std::vector<Run> runs_; // none: all are one slice long
};

} // namespace

std::unique_ptr<Cells> Stutter::cells(const Placed& p) const {
  return std::make_unique<StutterCells>(p, StutterShape(p));
}

} // namespace ivrin
