// The metronome: a pure function of the song's frames, so that it sits on the grid whatever the block size.
#pragma once

#include "audio/buffer.h"
#include "time/tempo_map.h"

#include <array>

namespace ivrin {

enum class ClickSound { tone, wood, shaker };
inline constexpr std::array<ClickSound, 3> kClickSounds = {ClickSound::tone, ClickSound::wood, ClickSound::shaker};

struct Click {
  ClickSound sound = ClickSound::tone;
  double levelDb = -14;  // of the peak of a bar's first beat
  double accentDb = 3;   // 0..24: by so much the other beats are softer
  bool highFirst = true; // a bar's first beat is higher, too
  int parts = 1;         // 1..4 clicks to a beat; those between are 6 dB softer still
  friend bool operator==(const Click&, const Click&) = default;
};

/// Adds the clicks of every beat of the meter that sound within [from, from + out.frames).
void addClick(const TempoMap& map, const Click& click, Frames from, StereoSpan out);

} // namespace ivrin
