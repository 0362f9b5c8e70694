#include "patterns/step_grid.h"

#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

StepGrid::StepGrid(const TempoMap& map, Beats start, const Value& step, double swing)
    : map_(map)
    , start_(start)
    , inSeconds_(step.number() != nullptr) {
  const double length = inSeconds_ ? *step.number() / 1000
                                   : static_cast<double>(NoteValue::parse(*step.text())->beats(map, start)->ticks);
  if (swing == 0)
    offsets_ = {0, length};
  else
    offsets_ = {0, (1 + 2 * swing) * length, 2 * length};
}

StepGrid::StepGrid(const TempoMap& map, Beats start, const List& runs, Then then)
    : map_(map)
    , start_(start)
    , offsets_{0}
    , then_(then) {
  for (const Value& run : runs) {
    const Value& length = (*run.list())[0];
    const double* ms = length.number();
    const double ticks = ms ? *ms / 60000 * map.bpmAt(start) * static_cast<double>(kTicksPerQuarter)
                            : static_cast<double>(NoteValue::parse(*length.text())->beats(map, start)->ticks);
    for (double n = *(*run.list())[1].number(); n > 0; --n) offsets_.push_back(offsets_.back() + ticks);
  }
}

double StepGrid::place(std::int64_t k) const {
  const std::int64_t n = round();
  if (then_ == Then::last && k > n)
    return offsets_.back() + static_cast<double>(k - n) * (offsets_.back() - offsets_[static_cast<std::size_t>(n) - 1]);
  const std::int64_t turn = then_ == Then::last ? 0 : k / n;
  return static_cast<double>(turn) * offsets_.back() + offsets_[static_cast<std::size_t>(k - turn * n)];
}

std::int64_t StepGrid::longest() const {
  double most = 0;
  for (std::size_t i = 1; i < offsets_.size(); ++i) most = std::max(most, offsets_[i] - offsets_[i - 1]);
  double seconds = most;
  if (!inSeconds_) {
    double slowest = map_.tempo().front().bpm;
    for (const TempoEntry& t : map_.tempo()) slowest = std::min(slowest, t.bpm);
    seconds = most / static_cast<double>(kTicksPerQuarter) * 60 / slowest;
  }
  return static_cast<std::int64_t>(seconds * map_.sampleRate()) + 2;
}

Frames StepGrid::begin(std::int64_t k) const {
  if (inSeconds_) return Frames(map_.frameAt(start_).count + std::llround(place(k) * map_.sampleRate()));
  return map_.frameAt(beat(k));
}

Beats StepGrid::beat(std::int64_t k) const {
  return inSeconds_ ? map_.beatAt(begin(k)) : start_ + Beats(std::llround(place(k)));
}

std::int64_t StepGrid::at(Frames f) const {
  const double from = inSeconds_ ? static_cast<double>((f - map_.frameAt(start_)).count) / map_.sampleRate()
                                 : static_cast<double>((map_.beatAt(f) - start_).ticks);
  const double whole = offsets_.back();
  double turn = 0, rest = from;
  if (then_ == Then::cycle) {
    turn = std::max(0.0, std::floor(from / whole));
    rest = from - turn * whole;
  }
  std::int64_t k = 0;
  if (rest >= whole) // the last length goes on
    k = round() + static_cast<std::int64_t>((rest - whole) / (whole - offsets_[offsets_.size() - 2]));
  else
    k = std::upper_bound(offsets_.begin(), offsets_.end(), rest) - offsets_.begin() - 1;
  k += static_cast<std::int64_t>(turn) * round();
  // Rounding to frames moves a border by less than one step.
  k = std::max<std::int64_t>(0, k - 1);
  while (begin(k + 1) <= f) ++k;
  return k;
}

} // namespace ivrin
