#include "analysis/grid_check.h"

#include "analysis/median.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kNearBeats = 0.2; // on either side of where a beat is expected
constexpr int kLeastAttacks = 2;
constexpr double kNearMs = 45;
constexpr double kFollows = 0.7;   // of a bar's offset, the next one is expected there
constexpr double kRunsAwayMs = 10; // from end to end; less is nobody's business
constexpr double kStraightMs = 8;  // what bars may be off the line that runs away, in the middle
constexpr std::size_t kFewBars = 8;

/// Of one bar, where offsets of about `expected` seconds are looked for.
BarOffset offsetOf(const std::vector<const std::vector<Frames>*>& attacks, const TempoMap& map, std::int64_t bar,
                   double expected) {
  const Beats start = map.barStart(bar);
  const MeterEntry& meter = map.meterAt(start);
  const double rate = map.sampleRate();
  std::vector<double> off;
  for (int b = 0; b < meter.count; ++b) {
    const Beats at = start + meter.beatLength() * b;
    const double line = map.secondsAt(at).value, beat = map.secondsAt(at + meter.beatLength()).value - line,
                 near = kNearBeats * beat;
    for (const auto* row : attacks) {
      const Frames from(std::llround((line + expected - near) * rate));
      for (auto a = std::lower_bound(row->begin(), row->end(), from); a != row->end(); ++a) {
        const double seconds = static_cast<double>(a->count) / rate - line;
        if (seconds > expected + near) break;
        off.push_back(seconds);
      }
    }
  }
  BarOffset o{bar, static_cast<int>(off.size()), 0};
  if (!off.empty()) o.ms = 1e3 * median(off);
  return o;
}

} // namespace

std::vector<BarOffset> gridOffsets(const std::vector<const std::vector<Frames>*>& attacks, const TempoMap& map,
                                   FrameRange sounding) {
  if (sounding.empty()) return {};
  const std::int64_t first = map.barAt(map.beatAt(sounding.begin)).bar, last = map.barAt(map.beatAt(sounding.end)).bar;
  // Where to begin: the first four bars that lie near the grid, else those that lie nearest; farther on a grid that
  // runs away comes back to it a beat later.
  std::int64_t from = first;
  double least = 1e9;
  for (std::int64_t bar = first; bar <= last && least > kNearMs; ++bar) {
    double sum = 0;
    int n = 0;
    for (std::int64_t b = bar; b < std::min(bar + 4, last + 1); ++b) {
      const BarOffset o = offsetOf(attacks, map, b, 0);
      if (o.attacks < kLeastAttacks) continue;
      sum += std::abs(o.ms);
      ++n;
    }
    if (n < 2 && last - first > 8) continue;
    if (const double mean = n > 0 ? sum / n : 1e8; mean < least) {
      least = mean;
      from = bar;
    }
  }
  std::vector<BarOffset> all;
  const auto follow = [&](std::int64_t begin, std::int64_t end, int step) {
    double expected = 0;
    for (std::int64_t bar = begin; bar != end; bar += step) {
      const BarOffset o = offsetOf(attacks, map, bar, expected);
      if (o.attacks < kLeastAttacks) continue;
      expected += kFollows * (o.ms / 1e3 - expected);
      all.push_back(o);
    }
  };
  follow(from, last + 1, 1);
  follow(from - 1, first - 1, -1);
  std::sort(all.begin(), all.end(), [](const BarOffset& a, const BarOffset& b) { return a.bar < b.bar; });
  return all;
}

const BarOffset* worstOf(const std::vector<BarOffset>& offsets) {
  if (offsets.empty()) return nullptr;
  std::vector<double> counts;
  for (const BarOffset& o : offsets) counts.push_back(o.attacks);
  const double usual = median(counts);
  const BarOffset* worst = nullptr;
  for (const BarOffset& o : offsets)
    if (o.attacks * 2 >= usual && (!worst || std::abs(o.ms) > std::abs(worst->ms))) worst = &o;
  return worst;
}

std::optional<double> tempoThatFits(const std::vector<BarOffset>& offsets, const TempoMap& map) {
  if (offsets.size() < kFewBars || map.tempo().size() != 1) return std::nullopt;
  // A line through the offsets over time: the median of slopes between bars half the song apart (P. K. Sen, 1968).
  std::vector<double> slopes;
  const std::size_t half = offsets.size() / 2;
  const auto at = [&](const BarOffset& o) { return map.secondsAt(map.barStart(o.bar)).value; };
  for (std::size_t i = 0; i + half < offsets.size(); ++i)
    slopes.push_back((offsets[i + half].ms - offsets[i].ms) / 1e3 / (at(offsets[i + half]) - at(offsets[i])));
  const double slope = median(slopes), whole = slope * (at(offsets.back()) - at(offsets.front()));
  if (std::abs(whole) * 1e3 < kRunsAwayMs) return std::nullopt;
  std::vector<double> rest, base;
  for (const BarOffset& o : offsets) base.push_back(o.ms - 1e3 * slope * at(o));
  const double level = median(base);
  for (const double b : base) rest.push_back(std::abs(b - level));
  if (median(rest) > kStraightMs) return std::nullopt;
  return map.tempo().front().bpm / (1 + slope);
}

} // namespace ivrin
