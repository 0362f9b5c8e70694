// The riser's table, and what its settings say at any moment: its lines, its trembling, its landing.
#pragma once

#include "dsp/tones/impact.h"
#include "ornaments/kind.h"

namespace ivrin {

/// What a riser's settings say, ready to be asked at any moment and to be drawn.
class RiserShape {
 public:
  enum class Of { noise, tone, stem };
  enum class Plays { stretched, looped, reversed }; // the stem
  struct State {
    double semitones; // tone: MIDI note; stem: from its own pitch
    double cutoffHz, levelDb, width;
  };
  explicit RiserShape(const Placed& p);
  static const TableSpec& table();

  /// `u` 0 at the span's begin, 1 at its end, as it is heard: a falling one begins where it would have ended.
  State at(double u) const;
  double progress(Frames f) const; // 0..1
  /// 0..1, 1 at the borders of its periods and where it does not tremble.
  double tremble(Frames f) const;
  const std::vector<Frames>& borders() const { return borders_; } // of the periods; empty: none

  Of of;
  Plays plays;
  bool down;
  FrameRange span;             // of what climbs
  Frames landing;              // the end of the span, or its begin
  std::int64_t tail;           // frames after the landing in which what climbs dies away
  double resonance;            // 0..0.95
  double loopSeconds;          // of a stem that is looped
  std::optional<double> hitDb; // peak, dBFS
  bool reversedHit;
  Impact hit, reversed;
  int note; // pitch class of what is struck

 private:
  const TempoMap& map_;
  double begin_, length_; // quarters
  double note0_, note1_, cutoff0_, cutoff1_, level0_, level1_, width0_, width1_;
  double levelBend_, pitchBend_, cutoffBend_;
  std::vector<Frames> borders_;
};

} // namespace ivrin
