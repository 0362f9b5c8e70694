// A print: what an ornament adds to its row, as immutable blocks that are appended from its first frame on.
//
// Invariants:
//  1. Samples below ready() never change and may be read from any thread without a lock.
//  2. Blocks are computed under one mutex, in order, each exactly once.
//  3. While a block is computed, prints it reads from are ensured first; these come earlier in the order of things
//     (RenderPlan refuses cycles), so waiting for another thread's mutex always ends.
#pragma once

#include "ornaments/kind.h"

#include <atomic>
#include <mutex>
#include <stop_token>

namespace ivrin {

class RenderPlan;
class PrintSounds;
struct OrnamentNode;

class Print {
 public:
  /// `extent` bounds the frames it may have; `gain` is the ornament's own.
  Print(FrameRange extent, float gain);
  ~Print();
  Print(const Print&) = delete;
  Print& operator=(const Print&) = delete;

  Frames first() const { return extent_.begin; }
  /// Frames before this are there.
  Frames ready() const { return Frames(ready_.load(std::memory_order_acquire)); }
  bool complete() const { return complete_.load(std::memory_order_acquire); }
  /// One past the last frame when complete, else an upper bound.
  Frames end() const { return complete() ? ready() : extent_.end; }
  FrameRange extent() const { return {first(), end()}; }
  bool readyTo(Frames f) const { return complete() || ready() >= f; }

  /// Adds the frames [from, from + out.frames) that are ready to `out`; others count as silence.
  void addTo(Frames from, StereoSpan out) const;
  /// Computes until `until` is ready or the print is complete. `plan` and `node` must be those this print was made for,
  /// or ones with the same provenance. Returns false when `stop` was requested before that.
  bool ensure(const RenderPlan& plan, const OrnamentNode& node, Frames until, std::stop_token stop = {});
  /// As ensure, but gives up at once when another thread is computing; true if it did any work.
  bool tryAdvance(const RenderPlan& plan, const OrnamentNode& node, Frames until, std::stop_token stop);

  /// Note of the voice, once complete.
  std::string note() const;
  /// What the finish's level turned it up by, once complete.
  std::optional<double> levelDb() const;
  /// Memory held, bytes.
  std::int64_t bytes() const;
  float peak() const { return peak_.load(std::memory_order_relaxed); }

 private:
  static constexpr std::int64_t kBlocksPerChunk = 16;
  static constexpr std::int64_t kChunkFrames = kPrintBlock * kBlocksPerChunk;
  void renderBlock(const RenderPlan& plan, const OrnamentNode& node);

  FrameRange extent_;
  float gain_;
  std::vector<std::unique_ptr<float[]>> chunks_; // sized once; each left plane, then right
  std::atomic<std::int64_t> ready_;
  std::atomic<bool> complete_{false};
  std::atomic<float> peak_{0};
  std::mutex mutex_;
  Shared<Ornament> ornament_; // what the voice was begun with
  std::shared_ptr<const SongContext> context_;
  std::unique_ptr<Voice> voice_;
  std::unique_ptr<PrintSounds> sounds_;
  bool started_ = false;
  std::string note_;
  std::optional<double> levelDb_;
};

} // namespace ivrin
