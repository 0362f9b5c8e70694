// The notes of a key.
#pragma once

#include "song/song.h"

namespace ivrin {

/// The nearest note of a key's scale (major, or natural minor); between two the lower. MIDI.
double nearestInKey(double note, const Key& key);
/// Semitones from a note (MIDI) to the one so many steps of the key's scale away; a note between two of the scale
/// counts as the lower. Without a key those of a major scale on the note.
int semitonesForSteps(int steps, int note, const std::optional<Key>& key);

} // namespace ivrin
