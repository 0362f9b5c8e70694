// Where what an ornament adds meets the next phrase of its row, and other rows.
#pragma once

#include "analysis/phrases.h"

#include <string>

namespace ivrin {

struct Collision {
  FrameRange frames;
  double db = 0;       // the print's level against the dry row's there (RMS over the meeting)
  bool goesOn = false; // it is the phrase that the source lies in, going on (or coming before, of a lead-in)
};

/// `print` is what the ornament adds over `extent`. A phrase is met where the print is louder than −60 dBFS and than
/// 24 dB under the phrase (20 ms levels). Of a phrase that holds part of `source` counts what lies apart from it, where
/// that is longer than a third of a second: the end of a word is the source's own.
std::vector<Collision> findCollisions(const RowReader& print, FrameRange extent, FrameRange source,
                                      const RowReader& dry, const std::vector<FrameRange>& phrases, double sampleRate);

/// A print over another row, both as they reach the mix.
struct OverRow {
  std::string row;
  FrameRange frames;
  double db = 0; // the print's power against the row's, in the octaves in which the row sounds
};

/// Masking is told band by band: what counts is the print in the octaves that hold the row, those within 20 dB of its
/// strongest in each step of 20 ms (energetic masking needs energy in the same bands: B. C. J. Moore, "An Introduction
/// to the Psychology of Hearing", 6th ed. (2013), ch. 3; octaves are coarser than critical bands and call two sounds
/// together that an ear may part). A row is met where the print is over −60 dBFS there and no more than 24 dB under the
/// row, for a fifth of a second or more in all.
std::optional<OverRow> findOverRow(const RowOctaves& print, double printPathDb, const std::string& name,
                                   const RowOctaves& row, double rowPathDb);

} // namespace ivrin
