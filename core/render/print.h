// A print: what an ornament adds to its row, as immutable blocks. Its bytes are those of rendering from its first frame
// on; a voice that can be begun elsewhere with the same bytes has its blocks computed in any order.
//
// Invariants:
//  1. Samples of a block that is there never change and may be read from any thread without a lock.
//  2. Blocks are computed by one thread at a time, each exactly once.
//  3. While a block is computed, prints it reads from are ensured first; these come earlier in the order of things
//     (RenderPlan refuses cycles), so waiting for another thread always ends.
//  4. A block is kept only if all that its voice read was there: when asked to stop in the midst of it, the voice is
//     dropped and begun anew.
//  5. A print whose blocks come in any order has exactly the frames of its extent.
//  6. What goes wrong while it is computed (no memory) ends it: what is there stays, the rest is silent, and failure()
//     says why. No exception leaves it.
#pragma once

#include "audio/chunk_store.h"
#include "ornaments/kind.h"

#include <atomic>
#include <condition_variable>
#include <mutex>
#include <stop_token>

namespace ivrin {

class RenderPlan;
class PrintSounds;
struct OrnamentNode;

class Print {
 public:
  /// `extent` bounds the frames it may have; `gain` is the ornament's own; `anyOrder` as its plan says. Its samples are
  /// kept in `store`, one of its own where none is given.
  /// `failures` counts those that failed, for who keeps many.
  Print(FrameRange extent, float gain, bool anyOrder = false, std::shared_ptr<ChunkStore> store = nullptr,
        std::shared_ptr<std::atomic<std::int64_t>> failures = nullptr);
  ~Print();
  Print(const Print&) = delete;
  Print& operator=(const Print&) = delete;

  Frames first() const { return extent_.begin; }
  /// All frames before this are there; in any order there may be more.
  Frames ready() const { return Frames(ready_.load(std::memory_order_acquire)); }
  bool anyOrder() const { return anyOrder_; }
  bool complete() const { return complete_.load(std::memory_order_acquire); }
  /// One past the last frame when complete, else an upper bound.
  Frames end() const { return complete() ? ready() : extent_.end; }
  FrameRange extent() const { return {first(), end()}; }
  /// Whether all of its frames within `r` are there.
  bool has(FrameRange r) const;
  /// The first of its frames from `f` on that is not there, then the first at all; its end when complete.
  Frames missingFrom(Frames f) const;

  /// Adds the frames [from, from + out.frames) that are there to `out`; others count as silence.
  void addTo(Frames from, StereoSpan out) const;
  /// Computes until `wanted` is there (frames before it too where the order is fixed). `plan` and `node` must be those
  /// this print was made for, or ones with the same provenance. Returns false when `stop` was requested before that.
  bool ensure(const RenderPlan& plan, const OrnamentNode& node, FrameRange wanted, std::stop_token stop = {});
  /// All of it.
  bool ensure(const RenderPlan& plan, const OrnamentNode& node, std::stop_token stop = {}) {
    return ensure(plan, node, extent_, stop);
  }
  /// Computes at most so many blocks, those missing from `near` on first; gives up at once when another thread is
  /// computing; true if it did any work.
  bool tryAdvance(const RenderPlan& plan, const OrnamentNode& node, Frames near, std::int64_t blocks,
                  std::stop_token stop);

  /// Note of the voice, once complete.
  std::string note() const;
  /// Why it could not be computed to its end, once complete; mostly empty.
  std::string failure() const;
  /// The same as a fact. Whoever makes the next plan begins it anew: what was missing may be there then.
  bool failed() const { return complete() && !failure_.empty(); }
  /// What the finish's level turned it up by, once complete.
  std::optional<double> levelDb() const;
  /// Nobody wants it now: the voice that would go on with it is let go, what is computed stays. Nothing while it is
  /// being computed.
  void rest();
  /// What it takes, bytes: its samples, and what says which are there.
  std::int64_t bytes() const;
  float peak() const { return peak_.load(std::memory_order_relaxed); }

 private:
  static constexpr std::int64_t kBlocksPerChunk = 16;
  static constexpr std::int64_t kChunkFrames = kPrintBlock * kBlocksPerChunk;
  static_assert(ChunkStore::kChunkFloats == 2 * kChunkFrames);
  std::int64_t blocks() const { return static_cast<std::int64_t>(there_.size()); }
  enum : std::uint8_t { kMissing, kSilent, kSounding }; // of a block; a silent one has no samples stored
  std::uint8_t stateOf(std::int64_t block) const {
    return there_[static_cast<std::size_t>(block)].load(std::memory_order_acquire);
  }
  bool there(std::int64_t block) const { return stateOf(block) != kMissing; }
  FrameRange framesOf(std::int64_t block) const;
  std::int64_t nextBlock(Frames near) const;
  bool renderNext(const RenderPlan& plan, const OrnamentNode& node, Frames near, std::stop_token stop);
  void dropVoice();
  void finishWith(std::int64_t frames);
  void failWith(std::string why);
  template <class Work> void atWork(Work work);

  const FrameRange extent_;
  const float gain_;
  const bool anyOrder_;
  const std::shared_ptr<ChunkStore> store_;
  const std::shared_ptr<std::atomic<std::int64_t>> failures_; // may be none
  std::vector<float*> chunks_;                                // of the store; sized once; each left plane, then right
  std::vector<std::atomic<std::uint8_t>> there_;              // by block
  std::atomic<std::int64_t> ready_, blocksThere_{0}, chunksHeld_{0};
  std::atomic<bool> complete_{false};
  std::atomic<float> peak_{0};

  std::mutex mutex_; // of `busy_`; nothing is computed under it
  std::condition_variable_any free_;
  bool busy_ = false;
  // Of who is busy.
  Shared<Ornament> ornament_; // what the voice was begun with
  std::shared_ptr<const SongContext> context_;
  std::unique_ptr<Voice> voice_;
  std::unique_ptr<PrintSounds> sounds_;
  std::int64_t voiceAt_ = 0; // block that the voice gives next
  std::string note_, failure_;
  std::optional<double> levelDb_;
};

} // namespace ivrin
