#include "analysis/phrases.h"

#include "dsp/svf.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kHopSeconds = 0.005;
constexpr double kUnderLoudDb = 34, kHysteresisDb = 8, kLowestOnDb = -60;
constexpr double kHoldSeconds = 0.09, kShortestSeconds = 0.04;

} // namespace

std::vector<FrameRange> findPhrases(const RowReader& row, FrameRange range, double sampleRate) {
  const auto hop = std::max<std::int64_t>(1, std::llround(kHopSeconds * sampleRate));
  std::vector<double> level;
  StereoSvf rumble(StereoSvf::Pass::high, 70, 70, sampleRate);
  constexpr std::int64_t kHopsAtOnce = 256;
  StereoBuffer block(hop * kHopsAtOnce);
  for (Frames at = range.begin; at < range.end; at = at + Frames(block.frames())) {
    row(at, block.span());
    rumble.process(block.left(), block.right(), block.frames());
    for (std::int64_t h = 0; h < kHopsAtOnce && at.count + h * hop < range.end.count; ++h) {
      double power = 0;
      for (std::int64_t i = h * hop; i < (h + 1) * hop; ++i) {
        const double l = block.left()[i], r = block.right()[i];
        power += 0.5 * (l * l + r * r);
      }
      level.push_back(10 * std::log10(power / static_cast<double>(hop) + 1e-12));
    }
  }
  std::vector<FrameRange> phrases;
  if (level.empty()) return phrases;
  std::vector<double> active;
  for (const double l : level)
    if (l > kLowestOnDb) active.push_back(l);
  if (active.empty()) return phrases;
  const auto nth = active.begin() + static_cast<std::ptrdiff_t>(static_cast<double>(active.size() - 1) * 0.95);
  std::nth_element(active.begin(), nth, active.end());
  const double on = std::max(*nth - kUnderLoudDb, kLowestOnDb), off = on - kHysteresisDb;

  const auto hold = static_cast<std::size_t>(kHoldSeconds / kHopSeconds),
             shortest = static_cast<std::size_t>(kShortestSeconds / kHopSeconds);
  const auto frame = [&](std::size_t h) { return range.begin + Frames(static_cast<std::int64_t>(h) * hop); };
  bool inside = false;
  std::size_t begin = 0, lastLoud = 0;
  for (std::size_t h = 0; h <= level.size(); ++h) {
    const double l = h < level.size() ? level[h] : -200;
    if (!inside && l >= on) {
      inside = true;
      begin = h;
      // The attack began where the level left the rest.
      for (int back = 0; back < 4 && begin > 0 && level[begin - 1] >= off; ++back) --begin;
    }
    if (!inside) continue;
    if (l >= off) lastLoud = h;
    if (h - lastLoud > hold || h == level.size()) {
      inside = false;
      if (lastLoud + 1 - begin >= shortest) phrases.push_back({frame(begin), std::min(frame(lastLoud + 1), range.end)});
    }
  }
  return phrases;
}

Room roomAfter(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate) {
  // A phrase that begins a breath before the selection's end is the next one, not this one.
  const auto slack = Frames(std::llround(0.03 * sampleRate));
  Room room{stretch.end, std::nullopt};
  for (const FrameRange& p : phrases) {
    if (p.begin >= stretch.end - slack) {
      if (p.begin >= room.sounding - slack) {
        room.next = p.begin;
        break;
      }
    } else if (p.end > stretch.end) {
      room.sounding = p.end;
    }
  }
  return room;
}

RoomBefore roomBefore(const std::vector<FrameRange>& phrases, FrameRange stretch, double sampleRate) {
  const auto slack = Frames(std::llround(0.03 * sampleRate));
  RoomBefore room{stretch.begin, std::nullopt};
  for (std::size_t i = phrases.size(); i-- > 0;) {
    const FrameRange& p = phrases[i];
    if (p.end <= stretch.begin + slack) {
      if (p.end <= room.sounding + slack) {
        room.former = p.end;
        break;
      }
    } else if (p.begin < stretch.begin) {
      room.sounding = p.begin;
    }
  }
  return room;
}

} // namespace ivrin
