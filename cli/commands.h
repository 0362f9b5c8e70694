// The commands of ivrin-cli. Each returns the exit status: 0 done, 1 the work could not be done.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace ivrin::cli {

struct NewOptions {
  std::string out;
  std::optional<double> bpm; // none: found from the files
  int sampleRate = 0;
  std::vector<std::string> files;
};
int newSong(const NewOptions& o);

struct SongOptions {
  std::string song;
  std::vector<std::string> reach;
  bool json = false;
};
int check(const SongOptions& o);
int show(const SongOptions& o);

struct RenderOptions {
  SongOptions song;
  std::string out, what = "mix", format = "wav24";
  std::string from, to; // as people say places; empty: the whole song
  std::string only;
  int threads = 2;
  bool trim = false;
};
int render(const RenderOptions& o);

struct PlaceOptions {
  SongOptions song;
  std::string kind, row, out;
  std::string start, length; // as people say them: song_place.h
};
int place(const PlaceOptions& o);
int rows(const SongOptions& o);
/// Of one row, or of all stems and the landings (empty).
int openings(const SongOptions& o, const std::string& row);
/// Where parts of the song begin; `out`: the song with them, where it has none of its own.
int sections(const SongOptions& o, const std::string& out);

struct EditOptions {
  SongOptions song;
  std::string id; // of `set`; the others take several
  std::vector<std::string> ids, assignments;
  std::string out;
  bool off = false;
};
int setSettings(const EditOptions& o);
int bypass(const EditOptions& o);
int removeOrnaments(const EditOptions& o);

struct LandingOptions {
  SongOptions song;
  std::string at, name, id, out;
  bool section = false, remove = false;
};
int landing(const LandingOptions& o);

struct MapOptions {
  SongOptions song;
  std::string at, meter, out;
  std::optional<double> bpm;
  bool remove = false;
};
int tempoEntry(const MapOptions& o);
int meter(const MapOptions& o);

/// Recipes that ship and the user's own; one of them, as its file is.
int recipes(const std::string& only, bool json);
struct ApplyOptions {
  SongOptions song;
  std::string recipe, landing, out;
  int density = 0, length = 0;
  bool refit = false; // in the place of what came with it
};
int apply(const ApplyOptions& o);

/// The song on the grid of a MIDI file, or on the one that is heard.
struct GridOptions {
  SongOptions song;
  std::string midi, out;
  bool keepBeats = false; // what is placed; else it stays on the sound
};
int grid(const GridOptions& o);

int tempo(const std::vector<std::string>& files, bool json);
int times(double bpm, bool json);
int measure(const std::vector<std::string>& files, bool json);
enum class KindsAs { text, json, markdown };
int kinds(const std::string& only, KindsAs as);

} // namespace ivrin::cli
