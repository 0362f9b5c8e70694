// What an ornament kind is: its table, what it reads, and how its print is made.
//
// A print is a pure function of settings, seed, place, tempo map, sample rate and what it reads. It is always rendered
// from its own first frame in blocks of kPrintBlock, so control grids may be anchored there; ranges only cut prints.
#pragma once

#include "audio/buffer.h"
#include "audio/chunk_store.h"
#include "dsp/dynamics/edges.h"
#include "finish/flow.h"
#include "finish/impulses.h"
#include "patterns/cells.h"
#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace ivrin {

/// A print ends this long after its source at the latest.
inline constexpr double kLongestTailSeconds = 120;
/// Of a print that a processor needs as a whole (level, an impulse response).
inline constexpr double kLongestWholeSeconds = 1800;

/// All of the song that a kind may know besides what it reads. Part of a print's provenance: a kind that follows key or
/// bars never goes stale.
struct SongContext {
  TempoMap map{}; // with the meters
  std::optional<Key> key{};
  CurveLaw hzLaw = CurveLaw::linear;
  std::shared_ptr<const Impulses> impulses{}; // none: only those that ship
  friend bool operator==(const SongContext&, const SongContext&) = default;
};
inline SongContext contextOf(const Song& song, std::shared_ptr<const Impulses> impulses = nullptr) {
  return {song.tempoMap(), song.key, song.hzLaw, std::move(impulses)};
}

/// An ornament at its place in a song.
struct Placed {
  const Ornament& ornament;
  const SongContext& context;
  const TempoMap& map = context.map;
  const Impulses* impulses = context.impulses.get();
  double sampleRate() const { return map.sampleRate(); }
  FrameRange span() const { return map.frames(ornament.span()); }
};

/// One stretch of sound an ornament reads. Frames are song frames.
struct Read {
  std::string row;
  /// rowSoFar: dry and wet of the ornament's own row as earlier ornaments left it.
  /// beforeOrnaments: the row before all its ornaments, gain, pan and mute (dry and wet of what feeds it).
  /// dryBefore: the same, its dry plane alone.
  enum class What { rowSoFar, beforeOrnaments, dryBefore };
  What what = What::rowSoFar;
  FrameRange frames;
};

/// What a plan may hold at most; what would hold more refuses.
inline constexpr std::size_t kMostReads = 2048;    // 1024 pieces, and the keys of 64 processors
inline constexpr std::size_t kMostSegments = 4096; // of the gains, and cycles or steps of a kind

/// Everything that is known before the first sample is computed.
struct PrintPlan {
  FrameRange extent; // nothing of the row changes outside; the end is an upper bound
  std::vector<Read> reads;
  GainSegments dry, wet; // what happens to the row's two planes
  /// What earlier ornaments, or those of rows that feed this one, put in their row's place is turned down with the dry
  /// plane, though it lies in the wet one (gap).
  bool silencesReplaced = false;
  bool sounds = true;    // false: there is no print, only gains
  bool anyOrder = false; // the extent is exact and the voice can seek: its blocks are computed where they are needed
  std::string refusal;   // why it cannot be computed, with `sounds` false; mostly empty
  /// The print stands in the row's place: such kinds turn both planes down (design 02).
  bool replaces() const { return sounds && !wet.isOne(); }
};

/// The declared reads, by index. Inside a read's range any frame may be asked for, any number of times;
/// outside it the sound is silence.
class Sounds {
 public:
  virtual ~Sounds() = default;
  virtual void read(std::size_t index, Frames from, StereoSpan out) = 0;
  /// Where a voice keeps sound that it needs whole; none: in memory.
  virtual std::shared_ptr<ChunkStore> store() const { return nullptr; }
};

/// One of them as a function.
inline std::function<void(Frames, StereoSpan)> keyOf(Sounds& sounds, std::size_t index) {
  return [&sounds, index](Frames from, StereoSpan out) { sounds.read(index, from, out); };
}

/// Computes one print, block after block, beginning at extent.begin.
using Voice = Flow;

/// Figures a kind can tell from its settings alone.
struct LoopFigures {
  double gainPerPassDb = 0; // largest small-signal gain around the loop over frequency
  double gainPerBarDb = 0;
  double passSeconds = 0;
  std::optional<Beats> diesAt;    // song position where it has fallen 60 dB
  std::optional<Beats> ceilingAt; // song position where it reaches the loop's ceiling
};

class Kind {
 public:
  virtual ~Kind() = default;
  virtual const TableSpec& table() const = 0;
  virtual PrintPlan plan(const Placed& p) const = 0;
  /// Only called when plan().sounds. `sounds` lives as long as the voice.
  virtual std::unique_ptr<Voice> start(const Placed& p, Sounds& sounds) const = 0;
  /// Where it lands; nothing where the kind does not land.
  virtual std::optional<Frames> landingFrame(const Placed&) const { return std::nullopt; }
  /// Where what it does to the row is over, its tail aside: where a silence after it would begin.
  virtual Frames doneAt(const Placed& p) const { return p.span().end; }
  virtual std::optional<LoopFigures> loopFigures(const Placed&) const { return std::nullopt; }
  /// True where it cuts time into cells.
  virtual bool cuts() const { return false; }
  /// The cells that it cuts time into; none where it does not. What `p` refers to must outlive them.
  virtual std::unique_ptr<Cells> cells(const Placed& /*p*/) const { return nullptr; }
  /// Where in the song what it plays was taken from, found by listening; nothing where the kind does not look.
  virtual std::optional<Frames> takenFrom(const Placed&, Sounds&) const { return std::nullopt; }
  /// True where it sounds, or takes away, before its landing or source rather than after it.
  virtual bool leadsIn(const Ornament&) const { return false; }
  /// True where the change of level is what is wanted, so that comparing at equal loudness would undo it.
  virtual bool levelIsTheEffect() const { return false; }

  // What is dragged in the score: the ornament with its tail ending, its lead-in beginning or its landing at `at`.
  // Nothing where the kind has no such thing.
  virtual std::optional<Ornament> withTailEnd(const Placed&, Beats /*at*/) const { return std::nullopt; }
  virtual std::optional<Ornament> withLeadBegin(const Placed&, Beats /*at*/) const { return std::nullopt; }
  virtual std::optional<Ornament> withLandingAt(const Placed&, Beats /*at*/) const { return std::nullopt; }
};

/// The kinds at hand, in the order of the sign strip.
class KindSet {
 public:
  explicit KindSet(std::vector<const Kind*> kinds)
      : kinds_(std::move(kinds)) {}
  const Kind* find(const std::string& id) const;
  const std::vector<const Kind*>& all() const { return kinds_; }
  Registry registry() const;

 private:
  std::vector<const Kind*> kinds_;
};

/// The kinds of this version.
const KindSet& allKinds();

} // namespace ivrin
