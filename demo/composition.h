// "Lantern Ferry" as written: chords, melody, form. Made up for Ivrin. Times are beats from bar 1 beat 1.
#pragma once

#include <vector>

namespace lantern {

inline constexpr double kBpm = 104;
inline constexpr int kBars = 60;
inline constexpr double kBeat = 60.0 / kBpm; // seconds
inline constexpr double kSeconds = kBars * 4 * kBeat + 3.5;

enum class Part { intro, verse, lift, chorus, rest, last };
struct Section {
  Part part;
  int firstBar, bars; // bars count from 0
};
const std::vector<Section>& form();
const Section& sectionAt(int bar);

struct Chord {
  int bass;                 // MIDI note
  std::vector<int> voicing; // low to high
};
const Chord& chordAt(int bar);

/// One sung syllable. `onset`: ' ' tied to the one before, 'l' 'n' 'm' voiced, 'd' stopped, 's' 'h' breathed.
struct Sung {
  double at, length;
  int midi;
  char onset;
  char vowel; // a e i o u
  double force;
};
const std::vector<Sung>& melody();

} // namespace lantern
