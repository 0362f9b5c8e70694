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
/// `now` is `was` on another grid with all on its beats: with all that is placed where it lay in the sound instead.
Song keptOnSound(const Song& was, Song now);
/// The same where only the place of bar 1 was wrong: it lies where `at` lies now.
Song withBarOneAt(const Song& song, Beats at);

// The maps of tempo and meter, entry by entry. What is placed keeps its beats; `tempo` of such a song given to
// withGridCorrected() keeps it on the sound instead.
/// Another tempo from a place on, in the place of an entry that is there.
Song withTempoFrom(Song song, Beats at, double bpm);
/// Without the entry there; the first one stays.
Song withoutTempoAt(Song song, Beats at);
/// An entry at another place, not before 0; over one that is there. The first one stays.
Song withTempoMoved(Song song, Beats from, Beats to);
/// Another meter from the bar line at or before a place. Later entries that lie on no bar line any more go to the next
/// one.
Song withMeterFrom(Song song, Beats at, int count, int unit);
Song withoutMeterAt(Song song, Beats at);
Song withMeterMoved(Song song, Beats from, Beats to);

} // namespace ivrin
