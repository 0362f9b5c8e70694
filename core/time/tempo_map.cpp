#include "time/tempo_map.h"

#include <algorithm>
#include <utility>

namespace ivrin {

TempoMap::TempoMap(std::vector<TempoEntry> tempo, std::vector<MeterEntry> meter, Seconds start, double sampleRate)
    : tempo_(std::move(tempo))
    , meter_(std::move(meter))
    , start_(start)
    , sampleRate_(sampleRate) {
  double seconds = 0;
  for (std::size_t i = 0; i < tempo_.size(); ++i) {
    if (i > 0) seconds += (tempo_[i].at - tempo_[i - 1].at).quarters() * 60.0 / tempo_[i - 1].bpm;
    secondsAtEntry_.push_back(seconds);
  }
  std::int64_t bar = 1;
  for (std::size_t i = 0; i < meter_.size(); ++i) {
    if (i > 0) bar += (meter_[i].at - meter_[i - 1].at).ticks / meter_[i - 1].barLength().ticks;
    barAtEntry_.push_back(bar);
  }
}

std::size_t TempoMap::tempoIndex(Beats b) const {
  auto it = std::upper_bound(tempo_.begin(), tempo_.end(), b, [](Beats x, const TempoEntry& e) { return x < e.at; });
  return it == tempo_.begin() ? 0 : static_cast<std::size_t>(it - tempo_.begin()) - 1;
}

Seconds TempoMap::secondsAt(Beats b) const {
  const std::size_t i = tempoIndex(b);
  return Seconds(start_.value + secondsAtEntry_[i] + (b - tempo_[i].at).quarters() * 60.0 / tempo_[i].bpm);
}

Frames TempoMap::frameAt(Beats b) const {
  return toFrames(secondsAt(b), sampleRate_);
}

double TempoMap::quartersAt(Frames f) const {
  const double s = static_cast<double>(f.count) / sampleRate_ - start_.value;
  auto it = std::upper_bound(secondsAtEntry_.begin(), secondsAtEntry_.end(), s);
  const std::size_t i = it == secondsAtEntry_.begin() ? 0 : static_cast<std::size_t>(it - secondsAtEntry_.begin()) - 1;
  return tempo_[i].at.quarters() + (s - secondsAtEntry_[i]) * tempo_[i].bpm / 60.0;
}

Beats TempoMap::beatAt(Frames f) const {
  return Beats::ofQuarters(quartersAt(f));
}

Beats TempoMap::beatAt(Seconds s) const {
  const double t = s.value - start_.value;
  auto it = std::upper_bound(secondsAtEntry_.begin(), secondsAtEntry_.end(), t);
  const std::size_t i = it == secondsAtEntry_.begin() ? 0 : static_cast<std::size_t>(it - secondsAtEntry_.begin()) - 1;
  return Beats::ofQuarters(tempo_[i].at.quarters() + (t - secondsAtEntry_[i]) * tempo_[i].bpm / 60.0);
}

double TempoMap::bpmAt(Beats b) const {
  return tempo_[tempoIndex(b)].bpm;
}

const MeterEntry& TempoMap::meterAt(Beats b) const {
  auto it = std::upper_bound(meter_.begin(), meter_.end(), b, [](Beats x, const MeterEntry& e) { return x < e.at; });
  return it == meter_.begin() ? meter_.front() : *(it - 1);
}

BarPosition TempoMap::barAt(Beats b) const {
  const MeterEntry& m = meterAt(b);
  const std::int64_t entryBar = barAtEntry_[static_cast<std::size_t>(&m - meter_.data())];
  const std::int64_t ticks = (b - m.at).ticks;
  const std::int64_t barTicks = m.barLength().ticks;
  std::int64_t bars = ticks / barTicks;
  if (ticks % barTicks < 0) --bars;
  const std::int64_t within = ticks - bars * barTicks;
  const std::int64_t beatTicks = m.beatLength().ticks;
  return {entryBar + bars, static_cast<int>(within / beatTicks) + 1, within % beatTicks};
}

Beats TempoMap::barStart(std::int64_t bar) const {
  auto it = std::upper_bound(barAtEntry_.begin(), barAtEntry_.end(), bar);
  const std::size_t i = it == barAtEntry_.begin() ? 0 : static_cast<std::size_t>(it - barAtEntry_.begin()) - 1;
  return meter_[i].at + meter_[i].barLength() * (bar - barAtEntry_[i]);
}

} // namespace ivrin
