// What is found of a song's time and notes from the sound of its stems: tempo, bar 1 and key.
#pragma once

#include "analysis/key.h"
#include "analysis/tempo.h"
#include "render/song_audio.h"

#include <stop_token>

namespace ivrin {

struct FoundGrid {
  std::optional<FoundTempo> tempo; // nothing where nothing begins twice
  std::optional<FoundKey> key;
};

/// A sound from its first frame on, at the song's rate.
struct HeardSound {
  RowReader read; // used by one thread
  FrameRange range;
};

/// Listens to all of them, on so many threads. Nothing of use when asked to stop.
FoundGrid findGrid(const std::vector<HeardSound>& sounds, double sampleRate, int threads, std::stop_token stop = {});
/// Of the stems of a song, as its files are.
FoundGrid findGrid(const Song& song, const SongAudio& audio, int threads, std::stop_token stop = {});

/// The song on what was found: one tempo, one meter, where bar 1 lies. Sections, landings and ornaments stay on their
/// beats. What was not found with some confidence is left as it is, and so is a key that is there already.
Song onGrid(Song song, const FoundGrid& found);
/// What a confidence must reach to be acted upon: under it nothing can be said.
inline constexpr double kLeastConfidence = 0.3;

} // namespace ivrin
