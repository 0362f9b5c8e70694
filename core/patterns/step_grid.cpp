#include "patterns/step_grid.h"

#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

StepGrid::StepGrid(const TempoMap& map, Beats start, const Value& step, double swing)
    : map_(map)
    , start_(start)
    , swing_(swing) {
  if (const double* ms = step.number())
    seconds_ = *ms / 1000;
  else
    ticks_ = static_cast<double>(NoteValue::parse(*step.text())->beats(map, start)->ticks);
}

Frames StepGrid::begin(std::int64_t k) const {
  const double place = static_cast<double>(k) + (k % 2 != 0 ? 2 * swing_ : 0);
  if (seconds_ > 0) return Frames(map_.frameAt(start_).count + std::llround(place * seconds_ * map_.sampleRate()));
  return map_.frameAt(start_ + Beats(std::llround(place * ticks_)));
}

std::int64_t StepGrid::at(Frames f) const {
  const double from = seconds_ > 0
                          ? static_cast<double>((f - map_.frameAt(start_)).count) / (seconds_ * map_.sampleRate())
                          : static_cast<double>((map_.beatAt(f) - start_).ticks) / ticks_;
  // A swung step and the rounding to frames move a border by less than one step.
  std::int64_t k = std::max<std::int64_t>(0, static_cast<std::int64_t>(std::floor(from)) - 1);
  while (begin(k + 1) <= f) ++k;
  return k;
}

} // namespace ivrin
