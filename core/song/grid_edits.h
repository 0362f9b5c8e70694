// Edits of the grid itself: either the song is to be played at another tempo, or the grid lay wrong over the sound.
#pragma once

#include "song/song.h"

namespace ivrin {

/// The tempo that holds at a place becomes another: the song is played faster or slower from there on. All that is
/// placed keeps its beats.
Song withTempoAt(Song song, Beats at, double bpm);
/// The grid lay wrong over the recording: it is put right, and all that is placed (sections, landings, ornaments and
/// what they take) stays where it is in the sound, at its length there. Note values inside ornaments are heard at the
/// new tempo.
Song withGridCorrected(const Song& song, std::vector<TempoEntry> tempo, double startSeconds);
/// The same where only the place of bar 1 was wrong: it lies where `at` lies now.
Song withBarOneAt(const Song& song, Beats at);
/// The same with another tempo at a place; bar 1 stays where it is in the sound.
Song withTempoCorrectedAt(const Song& song, Beats at, double bpm);

} // namespace ivrin
