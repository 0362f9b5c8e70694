// Where the parts of a song begin: verse, chorus, break.
#pragma once

#include "analysis/chroma.h"
#include "analysis/octaves.h"
#include "time/tempo_map.h"

#include <string>
#include <vector>

namespace ivrin {

/// What was heard of one row.
struct RowOfForm {
  const RowOctaves* octaves = nullptr;
  const RowChroma* notes = nullptr;
};

struct FoundSection {
  Beats at;         // a bar line
  std::string name; // A, B, C …; A again where it comes back as it was, A′ where it comes back otherwise played
  double confidence = 0; // 0..1, of its start
};

/// Compares the bars of a song by who plays in them, how loud, in which octaves, and by their harmony. A section starts
/// where the bars before are unlike the bars after, more than either are unlike among themselves (a checkerboard along
/// the diagonal of the self-similarity matrix: J. Foote, "Automatic audio segmentation using a measure of audio
/// novelty", ICME 2000; as an energy distance: G. J. Székely and M. L. Rizzo, "Energy statistics", J. Stat. Plan.
/// Inference 143 (2013)), and sections of four and eight bars are likelier than others (G. Sargent, F. Bimbot and
/// E. Vincent, "Estimating the structural segmentation of popular music pieces under regularity constraints", IEEE/ACM
/// TASLP 25 (2017)). Nothing where only one is found. Of 2000 bars at most, which is more than an hour of any song.
/// `sounding`: the rows' first to last frame.
std::vector<FoundSection> findSections(const std::vector<RowOfForm>& rows, const TempoMap& map, FrameRange sounding);

} // namespace ivrin
