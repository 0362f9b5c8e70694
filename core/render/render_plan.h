// A song made ready to be computed: its rows with their stems and members, its ornaments with what they read, and
// one print for each, taken from the cache where its provenance is known. Immutable once made; shared by the player,
// the pool, the export and the window.
//
// Invariants:
//  1. A plan made from a former one equals the plan made anew: the same nodes in the same order with the same
//  provenance.
//  2. Every node stands at its own order among its row's nodes and is found by its id.
//  3. A node that was not refused has a provenance, and a print if its kind sounds; the print's first frame is its
//     plan's.
//  4. What a plan holds is bounded: kMostReads and kMostSegments for each node.
#pragma once

#include "render/print.h"
#include "render/song_audio.h"

#include <list>
#include <unordered_map>

namespace ivrin {

struct RowNode;

/// One enabled ornament.
struct OrnamentNode {
  Shared<Ornament> ornament;
  const Kind* kind = nullptr;
  std::size_t row = 0;   // in RenderPlan::rows()
  std::size_t order = 0; // place among the row's nodes
  PrintPlan plan;
  std::vector<std::size_t> readRows; // row of every read
  bool hearsOwnRowOnly = false;      // every read is of `row`
  bool refused = false;              // a circle: neither gains nor a print
  std::string ownDigest;             // of all that does not depend on other prints
  std::string provenance;            // of all
  std::shared_ptr<Print> print;      // none where the kind only sets gains

  /// Where the row may differ: the print's extent and the gains' spans.
  FrameRange extent() const;
  /// The same before the print's real end is known: what others' provenance depends on, so that it never wavers.
  FrameRange reach() const;
};

struct RowNode {
  enum class Type { stem, bus, mix };
  std::string id;
  Type type = Type::stem;
  std::shared_ptr<const StemAudio> audio; // stem only; may be none
  std::int64_t offset = 0;                // song frame of its first sample
  std::vector<std::size_t> members;       // bus and mix
  float gainLeft = 1, gainRight = 1;      // gain and pan
  bool mute = false, solo = false;
  Chunked<std::shared_ptr<const OrnamentNode>> ornaments;
  bool hearsItself = true; // none of them reads another row
};

/// Prints by provenance. Those in use stay alive by their plans; of the others the least recently used are dropped over
/// a budget, and none keeps a voice under way.
class PrintCache {
 public:
  struct Budget {
    std::int64_t unusedBytes = std::int64_t{256} << 20; // of prints that no plan has
    std::size_t unused = 2000;                          // and how many of them
  };
  PrintCache()
      : PrintCache(Budget(), std::make_shared<ChunkStore>()) {}
  explicit PrintCache(Budget budget, std::shared_ptr<ChunkStore> store = std::make_shared<ChunkStore>())
      : budget_(budget)
      , store_(std::move(store)) {}
  std::shared_ptr<Print> take(const std::string& provenance, FrameRange extent, float gain, bool anyOrder);
  /// Drops what is beyond the budget; called by itself now and then, and for who wants to know what is held.
  void trim();
  std::int64_t computedAnew() const { return misses_; }
  /// Prints of this cache that failed so far.
  std::int64_t failures() const { return failures_->load(std::memory_order_acquire); }
  const ChunkStore& store() const { return *store_; }

 private:
  struct Entry {
    std::string key;
    std::shared_ptr<Print> print;
  };
  void trimLocked();
  std::mutex mutex_;
  std::list<Entry> recent_;
  std::unordered_map<std::string, std::list<Entry>::iterator> index_;
  const Budget budget_;
  const std::shared_ptr<ChunkStore> store_;
  const std::shared_ptr<std::atomic<std::int64_t>> failures_ = std::make_shared<std::atomic<std::int64_t>>(0);
  std::int64_t misses_ = 0;
};

class RenderPlan {
 public:
  /// `former` may share nodes of ornaments that did not change. `problems` gets what cannot be computed (cycles).
  static std::shared_ptr<const RenderPlan> make(const Song& song, const SongAudio& audio, const KindSet& kinds,
                                                PrintCache& cache, const RenderPlan* former = nullptr,
                                                Problems* problems = nullptr);

  const Song& song() const { return song_; }
  const TempoMap& map() const { return context_->map; }
  const SongContext& context() const { return *context_; }
  /// Shared by all plans between which it did not change; a voice under way keeps its own.
  const std::shared_ptr<const SongContext>& sharedContext() const { return context_; }
  const std::vector<RowNode>& rows() const { return rows_; }
  std::size_t mixRow() const { return rows_.size() - 1; }
  std::optional<std::size_t> rowIndex(const std::string& id) const;
  /// All nodes in song order.
  const Chunked<std::shared_ptr<const OrnamentNode>>& nodes() const { return nodes_; }
  std::shared_ptr<const OrnamentNode> node(const std::string& ornamentId) const;
  /// As song().ornament(), found by an index: for loops over many.
  const Ornament* ornament(const std::string& id) const;
  /// One past the last frame of the last stem or print; prints not complete count with their upper bound unless
  /// `completeOnly`.
  Frames end(bool completeOnly = false) const;
  float mixGain() const { return mixGain_; }
  /// A print could not be computed; one that is made from this plan begins all of them that failed anew.
  bool anyFailed() const;

 private:
  friend class NodeSettling; // gives it its nodes, once
  RenderPlan() = default;
  std::shared_ptr<OrnamentNode> makeNode(const Shared<Ornament>& o, const Kind& kind, std::size_t row,
                                         std::size_t order) const;
  void replaceNode(std::size_t place, std::shared_ptr<const OrnamentNode> node);
  bool holds() const;
  Song song_;
  std::shared_ptr<const SongContext> context_;
  std::vector<RowNode> rows_;
  Chunked<std::shared_ptr<const OrnamentNode>> nodeAt_; // by place in the song's list; none where it has no node
  Chunked<std::shared_ptr<const OrnamentNode>> nodes_;  // the same without those places
  bool anyRefused_ = false, anyRefusal_ = false;        // a circle; a kind that cannot
  std::int64_t failures_ = 0;                           // of the cache's prints, when it was made
  using Index = std::unordered_map<std::string, std::size_t>;
  Index rowById_;
  std::shared_ptr<const Index> placeById_; // in the song's list; shared by plans between which no id came or went
  float mixGain_ = 1;
};

} // namespace ivrin
