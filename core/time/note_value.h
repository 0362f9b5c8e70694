// Note values as written in the song file: "1/4", dotted "1/8.", triplet "1/16t", "1 bar", "2 bars",
// or a number of milliseconds.
#pragma once

#include "time/tempo_map.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

struct NoteValue {
  enum class Kind { fraction, bars, milliseconds };
  Kind kind = Kind::fraction;
  /// fraction: the lower number of the note (4 = quarter); bars: how many bars.
  int number = 4;
  bool dotted = false;
  bool triplet = false;
  double milliseconds = 0;

  /// Nothing if the text is not a note value. Fractions are 1/1 .. 1/128 in powers of two; bars 1..64.
  static std::optional<NoteValue> parse(std::string_view text);
  /// As in the file; milliseconds as a plain number.
  std::string text() const;
  /// Length at `at`: fractions are tempo-independent, a bar is the meter's there, milliseconds use the tempo there.
  Seconds seconds(const TempoMap& map, Beats at) const;
  /// Exact ticks; nothing for milliseconds.
  std::optional<Beats> beats(const TempoMap& map, Beats at) const;
  friend bool operator==(const NoteValue&, const NoteValue&) = default;
};

/// Every note value from 1/64 triplet to two bars, shortest first (bars by the meter at `at`).
std::vector<NoteValue> allNoteValues(const TempoMap& map, Beats at);

/// Snap grid: positions are multiples of `step` counted from the bar line before them.
Beats snapToGrid(Beats b, Beats step, const TempoMap& map);

} // namespace ivrin
