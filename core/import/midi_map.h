// What a Standard MIDI File says of a song's time: its tempi, meters, key and markers.
#pragma once

#include "song/problem.h"
#include "song/song.h"

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

inline constexpr std::size_t kLargestMidiFile = 32 << 20; // bytes; they say more of notes than of time
inline constexpr const char* kMidiEndings[] = {".mid", ".midi", ".smf"};
bool isMidiName(const std::filesystem::path& file);

struct MidiMap {
  std::vector<TempoEntry> tempo; // ascending, from 0 on; 120 BPM where nothing is said, as the standard has it
  std::vector<MeterEntry> meter; // likewise, on bar lines; 4/4
  std::optional<Key> key;        // the first that is said
  std::string title;             // the sequence's name, UTF-8; may be empty
  std::vector<Landing> markers;  // names and places, without ids
};

/// The bytes of a file of format 0 or 1 (Standard MIDI Files 1.0, MIDI Manufacturers Association, 1996), all tracks
/// read, notes passed over. Errors name what is wrong at which byte, and what a song cannot say at which bar: tempi
/// outside 20..400, meters of over 32 beats, time in frames of film. What is cut off is an error too; a meter that
/// changes within a bar holds from the next bar line on, a note says so.
std::optional<MidiMap> readMidi(std::string_view bytes, const std::string& place, Problems& problems);
std::optional<MidiMap> readMidiFile(const std::filesystem::path& file, Problems& problems);

/// The song on that map, bar 1 at the stems' time 0; what is placed keeps its beats. Its key, and markers as sections,
/// where it has none of its own.
Song withMidiMap(Song song, const MidiMap& map);

} // namespace ivrin
