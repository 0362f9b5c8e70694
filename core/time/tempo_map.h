// Beats ↔ seconds ↔ frames, and bars. A TempoMap is a value made from the song's tempo and meter lists;
// tempo is piecewise constant, the first entry holds before beat 0 too.
#pragma once

#include "time/beats.h"
#include "time/units.h"

#include <vector>

namespace ivrin {

/// `bpm` counts quarter notes, 20..400.
struct TempoEntry {
  Beats at;
  double bpm = 120;
  friend bool operator==(const TempoEntry&, const TempoEntry&) = default;
};

/// `count`/`unit` as in 6/8; changes fall on bar lines.
struct MeterEntry {
  Beats at;
  int count = 4;
  int unit = 4;
  friend bool operator==(const MeterEntry&, const MeterEntry&) = default;
  Beats barLength() const { return Beats(kTicksPerQuarter * 4 / unit * count); }
  Beats beatLength() const { return Beats(kTicksPerQuarter * 4 / unit); }
};

/// As a musician says it: bar 1 is the first, bar 0 the one before it; `beat` from 1; `tick` within the beat.
struct BarPosition {
  std::int64_t bar = 1;
  int beat = 1;
  std::int64_t tick = 0;
  friend bool operator==(const BarPosition&, const BarPosition&) = default;
};

class TempoMap {
 public:
  /// Both lists need an entry at beat 0 and strictly ascending positions (the song file reader checks that).
  /// `start` is where beat 0 lies in the stems' common time; `sampleRate` in Hz.
  TempoMap(std::vector<TempoEntry> tempo, std::vector<MeterEntry> meter, Seconds start, double sampleRate);
  TempoMap()
      : TempoMap({{}}, {{}}, Seconds(0), 48000) {}

  double sampleRate() const { return sampleRate_; }
  Seconds start() const { return start_; }
  const std::vector<TempoEntry>& tempo() const { return tempo_; }
  const std::vector<MeterEntry>& meter() const { return meter_; }

  Seconds secondsAt(Beats b) const;
  /// Double precision to the nearest frame.
  Frames frameAt(Beats b) const;
  Beats beatAt(Seconds s) const;
  Beats beatAt(Frames f) const;
  /// Exact, unrounded quarters at a frame; for control curves.
  double quartersAt(Frames f) const;

  double bpmAt(Beats b) const;
  const MeterEntry& meterAt(Beats b) const;
  BarPosition barAt(Beats b) const;
  /// Start of bar `bar` (1 is the first).
  Beats barStart(std::int64_t bar) const;
  FrameRange frames(BeatRange r) const { return {frameAt(r.begin), frameAt(r.end)}; }

  friend bool operator==(const TempoMap&, const TempoMap&) = default;

 private:
  std::size_t tempoIndex(Beats b) const;

  std::vector<TempoEntry> tempo_;
  std::vector<MeterEntry> meter_;
  std::vector<double> secondsAtEntry_;   // from beat 0, one per tempo entry
  std::vector<std::int64_t> barAtEntry_; // bar number at each meter entry
  Seconds start_;
  double sampleRate_;
};

} // namespace ivrin
