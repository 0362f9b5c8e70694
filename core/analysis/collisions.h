// Where what an ornament adds meets the next phrase of its row, and other rows.
#pragma once

#include "analysis/phrases.h"
#include "dsp/dynamics/balance.h"
#include "time/tempo_map.h"

#include <optional>
#include <string>

namespace ivrin {

/// Where a print meets a row, both as they reach the mix where it is another row than its own.
struct Collision {
  std::string row{}; // another row; empty: its own, in another phrase
  FrameRange frames{};
  double db = 0;       // the print's level against the row's there (RMS over the meeting)
  bool goesOn = false; // it is the phrase that the source lies in, going on (or coming before, of a lead-in)

  // What answers are chosen by; of its own row they are not looked at.
  static constexpr float kNone = -200;
  /// Octaves from 100 Hz up: the print against the row where the row sounds in that octave, and the print by itself.
  std::array<float, RowOctaves::kBands> octavesDb = none(), printDb = none();
  double leftDb = 0, rightDb = 0; // the print against the row, on each side
  /// Of its own row: an earlier word that would have died away by the phrase.
  std::optional<BeatRange> earlier{};

 private:
  static constexpr std::array<float, RowOctaves::kBands> none() {
    std::array<float, RowOctaves::kBands> all{};
    for (float& one : all) one = kNone;
    return all;
  }
};

/// `print` is what the ornament adds over `extent`. A phrase is met where the print is louder than −60 dBFS and than
/// 24 dB under the phrase (20 ms levels). Of a phrase that holds part of `source` counts what lies apart from it, where
/// that is longer than a third of a second: the end of a word is the source's own.
std::vector<Collision> findCollisions(const RowReader& print, FrameRange extent, FrameRange source,
                                      const RowReader& dry, const std::vector<FrameRange>& phrases, double sampleRate);

/// A print over another row. Masking is told band by band: what counts is the print in the octaves that hold the row,
/// those within 20 dB of its strongest in each step of 20 ms (energetic masking needs energy in the same bands: B. C.
/// J. Moore, "An Introduction to the Psychology of Hearing", 6th ed. (2013), ch. 3; octaves are coarser than critical
/// bands and call two sounds together that an ear may part). A row is met where the print is over −60 dBFS there and no
/// more than 24 dB under the row, for a fifth of a second or more in all.
std::optional<Collision> findOverRow(const RowOctaves& print, double printPathDb, const std::string& name,
                                     const RowOctaves& row, double rowPathDb);

/// What lies to one side hides less: a listener follows the ear at which the row is heard best (better-ear listening:
/// P. M. Zurek, "Binaural advantages and directional effects in speech intelligibility", in: Acoustical Factors
/// Affecting Hearing Aid Performance, 2nd ed. (1993); as on headphones, loudspeakers part the sides less). Sets
/// `leftDb` and `rightDb` and takes the better side's into `db`.
void takeSides(Collision& over, const RowReader& print, SideGains printPath, const RowReader& row, SideGains rowPath);

/// An earlier word of the row to take instead, of the same length at most: the latest attack in the four bars before
/// `source` that is early enough for what meets the phrases (from the first to the last of `collisions`) to be over
/// by then. Nothing where it would take more than that.
std::optional<BeatRange> earlierWord(const std::vector<Collision>& collisions, BeatRange source,
                                     const std::vector<FrameRange>& phrases, const std::vector<Frames>& attacks,
                                     const TempoMap& map);

} // namespace ivrin
