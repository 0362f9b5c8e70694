// Edges of what is taken: on a crossing of zero, after the hard consonant.
#pragma once

#include "analysis/phrases.h"

#include <optional>

namespace ivrin {

/// The frame nearest to `at`, and within `reach` of it, at which the sum of both sides crosses zero: from there on it
/// has the other sign. `at` itself in silence and where there is none.
Frames nearestZero(const RowReader& row, Frames at, Frames reach);

/// Where the vowel of a word begins: the first moment that is voiced (a period of 2 to 14 ms, by autocorrelation),
/// within 15 dB of the word's loudest voiced moment and with little of its power over 4 kHz, and stays so for 40 ms
/// (energy, autocorrelation and high band as in B. S. Atal and L. R. Rabiner, "A pattern recognition approach to
/// voiced-unvoiced-silence classification", IEEE TASSP 24 (1976)). Within 10 ms in a dry voice. Nothing where nothing
/// in it is voiced.
std::optional<Frames> vowelBegin(const RowReader& row, FrameRange word, double sampleRate);

} // namespace ivrin
