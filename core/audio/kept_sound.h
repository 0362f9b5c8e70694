// A stereo sound that grows at its end and is read anywhere, kept in chunks of a ChunkStore: however long it is, no
// more of it than the store's budget is held in memory.
#pragma once

#include "audio/buffer.h"
#include "audio/chunk_store.h"

#include <memory>
#include <vector>

namespace ivrin {

class KeptSound {
 public:
  /// None: in a store of its own, all in memory.
  explicit KeptSound(std::shared_ptr<ChunkStore> store);
  ~KeptSound();
  KeptSound(const KeptSound&) = delete;
  KeptSound& operator=(const KeptSound&) = delete;
  /// Throws std::bad_alloc where there is no room for more.
  void append(StereoSpan sound);
  std::int64_t frames() const { return frames_; }
  /// From frame `from` on; silence outside.
  void read(std::int64_t from, StereoSpan out) const;

 private:
  static constexpr std::int64_t kFrames = static_cast<std::int64_t>(ChunkStore::kChunkFloats / 2);
  std::shared_ptr<ChunkStore> store_;
  std::vector<float*> chunks_; // each left plane, then right
  std::int64_t frames_ = 0;
};

} // namespace ivrin
