// Note values as written in the song file: "1/4", dotted "1/8.", triplet "1/16t", "5/16", "0.75 beats", "1 bar",
// "2 bars", or a number of milliseconds.
#pragma once

#include "time/tempo_map.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

struct NoteValue {
  enum class Kind { fraction, bars, quarters, milliseconds };
  Kind kind = Kind::fraction;
  /// fraction: the lower number of the note (4 = quarter); bars: how many bars.
  int number = 4;
  bool dotted = false;
  bool triplet = false;
  double milliseconds = 0;
  /// fraction: the upper number; more than 1 only where neither dotted nor triplet.
  int upper = 1;
  /// quarters: "0.75 beats", whatever the meter's beat is.
  double quarters = 0;

  /// Nothing if the text is not a note value. Fractions are 1/1 .. 64/128, the lower number a power of two, dotted or
  /// triplets where the upper one is 1; bars 1..64; beats kLeastQuarters .. kMostQuarters.
  static std::optional<NoteValue> parse(std::string_view text);
  /// As a musician types one, in the simplest notation of the same length: "3/16" is "1/8.", "1/8d" too, "0.75 beats"
  /// too, "2/4" is "1/2", "1/8T" is "1/8t". Bars stay bars.
  static std::optional<NoteValue> typed(std::string_view text);
  /// Of this length: a fraction, else beats.
  static NoteValue ofLength(Beats length);
  /// At the fastest tempo 0.75 ms; the longest fraction.
  static constexpr double kLeastQuarters = 0.005, kMostQuarters = 256;
  /// As in the file; milliseconds as a plain number.
  std::string text() const;
  /// Length at `at`: fractions are tempo-independent, a bar is the meter's there, milliseconds use the tempo there.
  Seconds seconds(const TempoMap& map, Beats at) const;
  /// Exact ticks, at least one; nothing for milliseconds.
  std::optional<Beats> beats(const TempoMap& map, Beats at) const;
  /// The song file's version that brought this notation.
  int since() const { return kind == Kind::quarters || upper > 1 ? 3 : 1; }
  friend bool operator==(const NoteValue&, const NoteValue&) = default;
};

/// Every note value from 1/64 triplet to two bars, shortest first (bars by the meter at `at`).
std::vector<NoteValue> allNoteValues(const TempoMap& map, Beats at);

/// Snap grid: positions are multiples of `step` counted from the bar line before them.
Beats snapToGrid(Beats b, Beats step, const TempoMap& map);

} // namespace ivrin
