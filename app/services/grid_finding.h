// This file finds a song's time and notes from the sound of its stems: tempo, bar 1 and key.
#pragma once

#include "analysis/key.h"
#include "analysis/roles.h"
#include "analysis/tempo_curve.h"
#include "render/song_audio.h"

#include <map>
#include <stop_token>

namespace ivrin {

struct FoundGrid {
  std::optional<FoundTempo> tempo; // nothing where nothing begins twice
  std::optional<FoundCurve> curve; // where it was not played to a click and its beats can be followed
  std::optional<FoundKey> key;
  std::vector<std::optional<RowRole>> roles;  // of the sounds, where asked for; nothing for silence
  std::map<std::string, RowRole> stemRoles{}; // of a song's stems, by id
};

/// A sound from its first frame on, at the song's rate.
struct HeardSound {
  RowReader read; // used by one thread
  FrameRange range;
  bool namesRole = true; // its role is asked for
};

/// Listens to all of them, on so many threads. Nothing of use when asked to stop.
FoundGrid findGrid(const std::vector<HeardSound>& sounds, double sampleRate, int threads, std::stop_token stop = {});
/// Of the stems of a song, as its files are.
FoundGrid findGrid(const Song& song, const SongAudio& audio, int threads, std::stop_token stop = {});

/// Whether its tempo can be told, steady or not.
bool hasTempo(const FoundGrid& found);
/// The song on what was found: its tempo or the tempi that follow it, one meter, where bar 1 lies. Sections, landings
/// and ornaments stay on their beats. What was not found with some confidence is left as it is, and so is a key that is
/// there already.
Song onGrid(Song song, const FoundGrid& found);
/// The tempi that it may have, the likeliest first, three at most; none where nothing begins twice.
std::vector<double> likelyTempi(const FoundGrid& found);
/// The song at one of them, whatever its confidence: bar 1 where it is heard, else on the first beat.
Song atTempo(Song song, const FoundGrid& found, double bpm);
/// Its key alone, where it has none.
Song withHeardKey(Song song, const FoundGrid& found);
/// Rows without a role have the one that is heard; then all stand by their roles.
Song withHeardRoles(Song song, const FoundGrid& found);
/// What a confidence must reach to be acted upon: under it nothing can be said.
inline constexpr double kLeastConfidence = 0.3;

} // namespace ivrin
