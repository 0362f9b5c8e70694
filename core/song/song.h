// The song as plain values: what the file holds, with times as Beats. An edit makes a new Song (edits.h).
#pragma once

#include "song/chunked.h"
#include "song/curve.h"
#include "song/row_role.h"
#include "song/shared.h"
#include "song/value.h"
#include "time/tempo_map.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

inline constexpr const char* kMixRow = "mix";

struct Key {
  int note = 0; // 0 = C .. 11 = B
  bool minor = false;
  /// Of the same notes.
  Key relative() const { return {(note + (minor ? 3 : 9)) % 12, !minor}; }
  friend bool operator==(const Key&, const Key&) = default;
};

/// "E♭", 0 = C .. 11 = B.
const char* noteName(int note);
/// "D minor", in the reader's language.
std::string keyText(const Key& key);

/// Where things resolve: a section start or a landing of its own. One id space for both.
struct Landing {
  std::string id;
  Beats at;
  std::string name;
  friend bool operator==(const Landing&, const Landing&) = default;
};

/// What every stem and bus has.
struct RowMix {
  double gainDb = 0; // −60..+12
  double pan = 0;    // −1..1, a balance
  bool mute = false; // belongs to the song
  bool solo = false; // for listening only
  friend bool operator==(const RowMix&, const RowMix&) = default;
};

struct Bus {
  std::string id, name;
  RowMix mix;
  std::optional<RowRole> role{}; // since version 2
  friend bool operator==(const Bus&, const Bus&) = default;
};

struct Stem {
  std::string id, name;
  std::optional<std::string> file; // absolute once read from a song file; nothing: a row that only carries ornaments
  double offsetSeconds = 0;        // where the file's first sample lies in the stems' common time
  RowMix mix;
  std::optional<std::string> bus;
  std::string digest; // of the file's bytes, for relinking; may be empty
  std::optional<std::int64_t> frames;
  std::optional<RowRole> role{}; // since version 2
  friend bool operator==(const Stem&, const Stem&) = default;
};

struct Processor {
  std::string type;
  Settings settings;
  friend bool operator==(const Processor&, const Processor&) = default;
};

/// One piece of sound taken from elsewhere. Another row is heard before its ornaments, gain, pan and mute.
struct SourcePiece {
  std::optional<std::string> row; // nothing: the ornament's own row
  Beats start, length;
  double sendDb = 0;
  friend bool operator==(const SourcePiece&, const SourcePiece&) = default;
};

enum class Hears { row, dry };

/// Where an ornament comes from that a recipe placed, so that the whole transition can be fitted anew.
struct RecipeOrigin {
  std::string name, landing;
  int density = 0; // −1..1: sparser, denser
  int length = 0;  // −1..1: half as long, twice as long
  friend bool operator==(const RecipeOrigin&, const RecipeOrigin&) = default;
};

/// A stored complete setting of an ornament, under another letter than the live one.
struct Variant {
  std::string slot; // "A".."D"
  Settings settings;
  std::vector<Processor> finish;
  double gainDb = 0;
  friend bool operator==(const Variant&, const Variant&) = default;
};

struct Ornament {
  std::string id, kind;
  std::string on; // a stem, a bus, or "mix"
  Beats start, length;
  std::string name;
  bool enabled = true;
  double gainDb = 0;
  std::int64_t seed = 1; // 0..2^53
  std::optional<std::string> landing;
  Hears hears = Hears::row;
  std::vector<SourcePiece> source; // empty: start..start+length of its own row
  std::string variant = "A";
  Settings settings;
  std::vector<Processor> finish;
  std::vector<Variant> variants;
  std::optional<RecipeOrigin> recipe{}; // since version 2
  BeatRange span() const { return {start, start + length}; }
  friend bool operator==(const Ornament&, const Ornament&) = default;
};

struct MixSettings {
  double gainDb = 0;
  double ceilingDbtp = -1; // −20..0
  bool limiter = true;
  friend bool operator==(const MixSettings&, const MixSettings&) = default;
};

/// Whether `s` may be an id: 1 to 64 of A–Z a–z 0–9 . _ -, but not "." or "..". Names of exported files are made of
/// ids.
bool isId(std::string_view s);

struct Song {
  std::string title;
  int sampleRate = 48000;
  double startSeconds = 0;
  int leadBars = 0; // 0..64: so many bars, of the first tempo and meter, belong to it before the stems' time 0
  std::optional<Key> key;
  CurveLaw hzLaw = CurveLaw::linear; // of curves in Hz: log in new songs, linear where a file does not say
  std::vector<TempoEntry> tempo = std::vector<TempoEntry>(1);
  std::vector<MeterEntry> meter = std::vector<MeterEntry>(1);
  std::vector<Landing> sections;
  std::vector<Landing> landings;
  std::vector<Bus> buses;
  std::vector<Stem> stems;
  MixSettings mix;
  Chunked<Shared<Ornament>> ornaments; // list order is the order on a row

  /// Where it begins: 0 or before.
  Frames firstFrame() const;
  /// Seconds of one of its lead bars.
  double leadBarSeconds() const { return meter.front().barLength().quarters() * 60 / tempo.front().bpm; }
  TempoMap tempoMap() const { return TempoMap(tempo, meter, Seconds(startSeconds), sampleRate); }
  const Stem* stem(const std::string& id) const;
  const Bus* bus(const std::string& id) const;
  const Ornament* ornament(const std::string& id) const;
  bool hasRow(const std::string& id) const { return id == kMixRow || stem(id) || bus(id); }
  /// Gain, pan, mute, solo of a stem or bus; the mix has none of its own and gives a neutral one.
  RowMix rowMix(const std::string& id) const;
  std::string rowName(const std::string& id) const;
  /// Stem ids in order, grouped under their bus, then the bus; last the mix.
  std::vector<std::string> rowsInScoreOrder() const;
  /// Sections and landings, ascending.
  std::vector<Landing> allLandings() const;
  std::optional<Landing> landingById(const std::string& id) const;
  /// The next one, not one at `at` itself.
  std::optional<Landing> landingAfter(Beats at) const;
  friend bool operator==(const Song&, const Song&) = default;
};

/// The stem that a problem's place names ("stems[3].file"), or null.
const Stem* stemAtPlace(const Song& song, std::string_view place);

} // namespace ivrin
